"""Wordbook proposals out of models: short forms with their words, words for one concept, forms with two meanings, slips."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from typing import Literal, TypeAlias

import msgspec

from indexa.core.model import Model
from indexa.core.naming.evidence import Place, SchemaEvidence
from indexa.core.naming.inflecting import singular
from indexa.core.naming.places import joins_of, places_of
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.wordbook import Stack

Kind: TypeAlias = Literal["short form", "homonym", "synonym", "misspelling"]
_MOST_PLACES = 12


class Found(msgspec.Struct, frozen=True, kw_only=True):
    """A proposal for the wordbook: a short form (or slip, or second word) and the word, with what speaks for it."""

    short: str
    word: str
    confidence: float
    evidence: tuple[str, ...]
    count: int
    kind: Kind = "short form"
    others: tuple[tuple[str, float], ...] = ()
    """Other words that it may stand for, each with its confidence."""
    places: tuple[str, ...] = ()


def mine(models: Sequence[Model], stack: Stack | None = None) -> list[Found]:
    """Return proposals for what the wordbooks do not know yet, those that stand in most names first."""
    stack = stack or Stack()
    places = [place for model in models for place in places_of(model)]
    splitter = Splitter(stack.abbreviations())
    splitter.learn(place.name for place in places)
    evidence = SchemaEvidence(places, splitter, joins_of(models))
    known = set(stack.abbreviations())
    found = [
        *_short_forms(evidence, known),
        *_homonyms(evidence, known),
        *_misspellings(evidence),
        *_synonyms(evidence),
    ]
    return sorted(found, key=lambda one: (-one.count, one.short, one.word))


def _short_forms(evidence: SchemaEvidence, known: set[str]) -> Iterable[Found]:
    for short, count in evidence.counts.items():
        if short in known or not evidence.is_short(short):
            continue
        candidates = evidence.candidates(short)
        if not candidates:
            continue
        best = candidates[0]
        yield Found(
            short=short,
            word=best.word.replace("_", " "),
            confidence=best.confidence,
            evidence=tuple(best.evidence),
            count=count,
            others=tuple(
                (one.word.replace("_", " "), one.confidence) for one in candidates[1:] if one.confidence > 0.02
            ),
            places=_where(evidence, short),
        )


def _where(evidence: SchemaEvidence, word: str) -> tuple[str, ...]:
    return tuple(_full_name(evidence.places[at]) for at in evidence.where[word][:_MOST_PLACES])


def _full_name(place: Place) -> str:
    return f"{place.table}.{place.name}" if place.table else place.name


def _homonyms(evidence: SchemaEvidence, known: set[str]) -> Iterable[Found]:
    """Find short forms whose comments say two words, each in more than one place."""
    for short, words in evidence.said().items():
        if short in known or len(words) < 2:
            continue
        (first, most), (second, fewer) = words.most_common(2)
        if fewer >= 2 and fewer >= 0.2 * most and singular(first) != singular(second):
            message = (f"{most} comments say {first}, {fewer} say {second}",)
            yield Found(
                short=short, word=f"{first}; {second}".replace("_", " "), confidence=min(0.95, 0.5 + 0.1 * fewer),
                evidence=message, count=evidence.counts[short], kind="homonym", places=_where(evidence, short),
            )  # fmt: skip


def _misspellings(evidence: SchemaEvidence) -> Iterable[Found]:
    """Propose words that no one knows, one slip away from a word that stands in other names."""
    full = {word: count for word, count in evidence.counts.items() if len(word) >= 6 and evidence.is_full(word)}
    by_start: dict[str, list[str]] = defaultdict(list)
    for word in full:
        by_start[word[0]].append(word)
    for word, count in evidence.counts.items():
        if len(word) < 6 or word in evidence.lexicon.costs or not word.isalpha():
            continue
        near = [one for one in by_start[word[0]] if abs(len(one) - len(word)) <= 1 and _one_slip(word, one)]
        if len(near) == 1 and full[near[0]] > count:
            yield Found(
                short=word, word=near[0], confidence=0.9, count=count, kind="misspelling", places=_where(evidence, word),
                evidence=(f"one letter from “{near[0]}”, which is in {full[near[0]]} names",),
            )  # fmt: skip


def _one_slip(word: str, other: str) -> bool:
    """Say whether one letter is missing, doubled, wrong, or two neighbours are exchanged; an s at the end is no slip."""
    if len(word) == len(other):
        differs = [at for at in range(len(word)) if word[at] != other[at]]
        if len(differs) == 2 and differs[1] == differs[0] + 1:
            return word[differs[0]] == other[differs[1]] and word[differs[1]] == other[differs[0]]
        return len(differs) == 1 and differs[0] < len(word) - 2
    longer, shorter = (word, other) if len(word) > len(other) else (other, word)
    at = next((at for at in range(len(shorter)) if shorter[at] != longer[at]), len(shorter))
    return at < len(shorter) and longer[at + 1 :] == shorter[at:]


_ALIKE = (
    {"number", "no", "nr", "num", "nbr"}, {"vendor", "supplier"}, {"client", "customer"}, {"staff", "employee"},
    {"phone", "telephone", "tel"}, {"postcode", "zip", "zipcode"}, {"surname", "lastname"}, {"firstname", "forename"},
    {"begin", "start"}, {"end", "stop", "finish"}, {"remark", "comment", "note"}, {"amount", "sum"}, {"kind", "type"},
    {"product", "article", "item"}, {"updated", "modified", "changed"}, {"created", "inserted", "added"},
    {"bill", "invoice"}, {"county", "shire"}, {"picture", "image", "photo"}, {"city", "town"}, {"car", "vehicle"},
)  # fmt: skip


def _synonyms(evidence: SchemaEvidence) -> Iterable[Found]:
    """Propose words of one concept that stand with the same other words in different tables."""
    frames: dict[tuple[str, ...], dict[str, int]] = defaultdict(lambda: defaultdict(int))
    group_of = {word: number for number, group in enumerate(_ALIKE) for word in group}
    for words in evidence.words:
        for at, word in enumerate(words):
            if word in group_of:
                frames[(*words[:at], f"#{group_of[word]}", *words[at + 1 :])][word] += 1
    pairs: dict[tuple[str, str], int] = defaultdict(int)
    for seen in frames.values():
        ordered = sorted(seen, key=lambda one: (-evidence.counts[one], one))
        for word in ordered[1:]:
            pairs[ordered[0], word] += 1
    for (usual, rarer), frames_shared in sorted(pairs.items()):
        if evidence.is_full(usual) and evidence.is_full(rarer):
            yield Found(
                short=rarer, word=usual, confidence=min(0.9, 0.5 + 0.1 * frames_shared), count=evidence.counts[rarer],
                kind="synonym", places=_where(evidence, rarer),
                evidence=(f"{frames_shared} name{'s differ' if frames_shared > 1 else ' differs'} in nothing but these two words",),
            )  # fmt: skip
