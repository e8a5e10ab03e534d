"""Short forms for words that no wordbook has: how the names of a model shorten them already, else in full or by their consonants."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable

import msgspec

from indexa.core.naming.abbreviating import fit, skeleton
from indexa.core.naming.evidence import CONNECTING
from indexa.core.naming.inflecting import singular
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.standard import Rule
from indexa.core.naming.wordbook import Stack

_WORD = re.compile(r"[^\W_]+")
_LEAST_FIT = 0.5
_SHORT_ENOUGH = 4
"""Words of so many letters and fewer stand in full, and nobody is asked."""
_MOST_OPTIONS = 5
_LONGEST_SKELETON = 5


class ShortForm(msgspec.Struct, frozen=True):
    """What could stand for a word in names."""

    short: str
    confidence: float
    evidence: str


def words_of(business_name: str) -> list[str]:
    """Return the words of a business name in small letters."""
    return [word.lower() for word in _WORD.findall(business_name)]


def unsettled(rule: Rule, stack: Stack, business_name: str) -> list[str]:
    """Return the words of a business name that a rule wants in short form and that no wordbook has, each once."""
    if rule.form != "short":
        return []
    words = words_of(business_name)
    known: set[int] = set()
    for size in range(min(stack.longest_phrase, len(words)), 0, -1):
        for at in range(len(words) - size + 1):
            phrase = " ".join(words[at : at + size])
            if stack.entry(phrase) or (size == 1 and stack.entry(singular(phrase))):
                known.update(range(at, at + size))
    return list(
        dict.fromkeys(
            word
            for at, word in enumerate(words)
            if at not in known and len(word) > _SHORT_ENOUGH and word.isalpha() and word not in CONNECTING
        )
    )


class Shortener:
    """Knows from names with business names how words are shortened in a model."""

    def __init__(self, named: Iterable[tuple[str, str]], splitter: Splitter, stack: Stack) -> None:
        """`named` are pairs of a name and its business name."""
        self._seen: dict[str, Counter[str]] = defaultdict(Counter)
        self._stack = stack
        for name, business_name in named:
            words, tokens = words_of(business_name), splitter.split(name)
            if len(words) != len(tokens):
                words = [word for word in words if word not in CONNECTING]
            if len(words) == len(tokens):
                for word, token in zip(words, tokens, strict=True):
                    if token in (word, singular(word)) or fit(token, word) >= _LEAST_FIT:
                        self._seen[word][token] += 1

    def options(self, word: str) -> list[ShortForm]:
        """Return short forms of a word, the likeliest first; the word in full is one of them."""
        seen = self._seen.get(word, Counter())
        total = seen.total()
        found = {
            short: ShortForm(
                short,
                round(count / (total + 0.5), 2),
                _seen_in(count, in_full=short == word) + self._clash(short, word),
            )
            for short, count in seen.most_common(_MOST_OPTIONS)
        }
        rest = 1 / (1 + 2 * total)
        bones = skeleton(word)[:_LONGEST_SKELETON]
        if bones not in found and len(bones) > 1 and not self._clash(bones, word):
            found[bones] = ShortForm(bones, round(0.4 * rest, 2), "its consonants")
        if word not in found:
            found[word] = ShortForm(word, round(0.5 * rest, 2), "the word in full")
        return sorted(found.values(), key=lambda one: -one.confidence)[:_MOST_OPTIONS]

    def _clash(self, short: str, word: str) -> str:
        others = [one.word for one in self._stack.meanings(short) if one.word.lower() != word]
        return f"; in the wordbook it stands for {' and '.join(others)}" if others and short != word else ""


def _seen_in(count: int, *, in_full: bool) -> str:
    if count == 1:
        return f"1 name {'has it in full' if in_full else 'shortens it so'}"
    return f"{count:,} names {'have it in full' if in_full else 'shorten it so'}"
