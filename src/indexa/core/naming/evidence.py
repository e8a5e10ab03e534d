"""What the names and comments of a schema tell of its short forms: candidates, each with evidence and a confidence."""

from __future__ import annotations

import math
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from functools import lru_cache

import msgspec

from indexa.core.naming.abbreviating import fit, initials
from indexa.core.naming.inflecting import singular
from indexa.core.naming.lexicon import Lexicon
from indexa.core.naming.splitting import Splitter

CONNECTING = frozenset("of the a an in on at to by for from with and or per as is".split())
_WORDS = re.compile(r"[A-Za-z]+")
_MOST_COMMENT = 600


class Place(msgspec.Struct, frozen=True):
    """A name where it stands: `table` is "" for a table itself; `comment` says in words what it is."""

    name: str
    table: str = ""
    comment: str = ""
    type: str = ""


class Join(msgspec.Struct, frozen=True):
    """A foreign key's column and what it refers to."""

    table: str
    column: str
    ref_table: str
    ref_column: str


class Candidate(msgspec.Struct):
    """A word that a short form may stand for."""

    short: str
    word: str
    score: float = 0.0
    """The logarithm of the odds that the word is meant, the others aside."""
    evidence: list[str] = msgspec.field(default_factory=list)
    confidence: float = 0.0


class SchemaEvidence:
    """The words of names that belong together, counted, and what their comments say of the short ones."""

    def __init__(self, places: Sequence[Place], splitter: Splitter, joins: Sequence[Join] = ()) -> None:
        self.lexicon = splitter.lexicon
        self.splitter = splitter
        self.places = places
        self.counts: Counter[str] = Counter()
        self.where: dict[str, list[int]] = defaultdict(list)
        self.words: list[list[str]] = []
        memo: dict[str, list[str]] = {}
        for number, place in enumerate(places):
            words = memo.get(place.name)
            if words is None:
                words = memo[place.name] = splitter.split(place.name)
                self.counts.update(set(words))
            self.words.append(words)
            for word in set(words):
                self.where[word].append(number)
        self._said: dict[str, Counter[str]] = defaultdict(Counter)
        self._asked: Counter[str] = Counter()
        self._read_comments()
        self._joined: dict[str, Counter[str]] = defaultdict(Counter)
        self._read_joins(joins)
        self._full_by_initial: dict[str, list[tuple[str, int]]] = defaultdict(list)
        for word, count in self.counts.items():
            if self.is_full(word) and len(word) > 3:
                self._full_by_initial[word[0]].append((singular(word), count))
        self._candidates: dict[str, list[Candidate]] = {}

    def is_full(self, word: str) -> bool:
        """Say whether a word of a name is one that people write out, and no short form."""
        if word in self.lexicon.short_forms:
            return self.lexicon.short_forms[word][0] == word
        return word in self.lexicon.plain or (word.endswith("s") and singular(word) in self.lexicon.plain)

    def is_short(self, word: str) -> bool:
        """Say whether a word of a name wants to be told in full."""
        if not word.isalpha() or word in CONNECTING or word in self.lexicon.acronyms:
            return False
        alternatives = self.lexicon.short_forms.get(word)
        if alternatives is not None:
            return alternatives[0] != word
        return len(word) > 1 and not self.is_full(word)

    def _read_comments(self) -> None:
        for place, words in zip(self.places, self.words, strict=True):
            if not place.comment:
                continue
            abbreviations = [word for word in words if self.is_short(word)]
            if not abbreviations:
                continue
            message = comment_words(place.comment)
            for short in abbreviations:
                self._asked[short] += 1
                for word, value in in_comment(short, message, self.lexicon):
                    if value >= 0.6:
                        self._said[short][word] += 1

    def _read_joins(self, joins: Sequence[Join]) -> None:
        for join in joins:
            column, target = self.splitter.split(join.column), self.splitter.split(join.ref_table)
            for short_side, full_side in ((column, target), (target, column)):
                for short in short_side:
                    if not self.is_short(short):
                        continue
                    for word in full_side:
                        if fit(short, word) >= 0.5 and self.is_full(word):
                            self._joined[short][singular(word)] += 1

    def said(self) -> dict[str, Counter[str]]:
        """Return the words that comments say for each short form, with the number of places."""
        return self._said

    def candidates(self, short: str) -> list[Candidate]:
        """Return what a short form may stand for in this schema, the likeliest first, with confidences."""
        known = self._candidates.get(short)
        if known is None:
            known = self._candidates[short] = self._weigh(short)
        return known

    def _weigh(self, short: str) -> list[Candidate]:
        found: dict[str, Candidate] = {}

        def add(word: str, score: float, evidence: str) -> None:
            candidate = found.setdefault(word, Candidate(short, word, _prior(short, word, self.lexicon)))
            candidate.score += score
            candidate.evidence.append(evidence)

        for rank, word in enumerate(self.lexicon.short_forms.get(short, ())):
            add(word, (4.2, 2.4, 1.6, 1.2)[min(rank, 3)], "a short form in general use")
        asked = self._asked[short]
        for word, count in self._said[short].most_common(6):
            share = count / asked
            add(word, 2.2 + 2.2 * share + 0.5 * math.log(count), f"{count} of {asked} comments beside it say so")
        for word, count in self._joined[short].most_common(3):
            add(word, 2.6 + 0.5 * math.log(count), f"{count} foreign keys join it to a name that has it in full")
        for word, count in self._full_by_initial.get(short[0], ()):
            value = fit(short, word)
            if value >= 0.6:
                add(word, 2.0 * value + 0.4 * math.log(1 + count), f"written in full in {count} other names")
        if not found:
            fitting = self.lexicon.fitting(short)
            for word, value, cost in fitting:
                alone = 0.8 if len(fitting) == 1 else 0.0
                add(word, 4.0 * (value - 0.5) + alone - 0.3 * max(0.0, cost - 8.0), "a common word that it fits well")
        ordered = sorted(found.values(), key=lambda one: -one.score)[:6]
        total = sum(math.exp(min(one.score, 30)) for one in ordered) + math.exp(2.2)
        for one in ordered:
            one.confidence = round(math.exp(min(one.score, 30)) / total, 3)
        return ordered


def comment_words(comment: str) -> list[str]:
    """Return the words of a comment in small letters."""
    return [word.lower() for word in _WORDS.findall(comment[:_MOST_COMMENT])]


def in_comment(short: str, said: list[str], lexicon: Lexicon) -> Iterable[tuple[str, float]]:
    """Yield the words and phrases of a comment that the short form may stand for, each with how well it fits."""
    known = lexicon.short_forms.get(short, ())
    seen = set()
    for at, word in enumerate(said):
        if word[0] != short[0] or word in seen:
            continue
        seen.add(word)
        if word != short and word not in CONNECTING and len(word) > len(short):
            base = word if short.endswith("s") and not short.endswith("ss") else singular(word)
            value = max(fit(short, word), fit(short, base))
            meant = next((one for one in known if word.startswith(one[: max(4, len(one) - 1)]) or one == base), "")
            if meant:
                yield meant, 1.0
            elif value and (word in lexicon.plain or base in lexicon.plain or len(word) > 4):
                yield base, value
        if 2 <= len(short) <= 5 and (end := initials(said, at, short, CONNECTING)):
            phrase = said[at:end]
            while phrase and phrase[-1] in CONNECTING:
                phrase.pop()
            if len(phrase) > 1 and any(len(one) > 3 for one in phrase):
                yield "_".join(phrase), 0.75 if len(short) == 2 else 0.95


@lru_cache(maxsize=100_000)
def _prior_of(cost: float) -> float:
    return -0.25 * max(0.0, cost - 8.0)


def _prior(short: str, word: str, lexicon: Lexicon) -> float:
    costs = [lexicon.costs.get(part, 16.0) for part in word.split("_")]
    return _prior_of(round(max(costs), 1))
