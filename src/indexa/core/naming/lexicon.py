"""The general lexicon that ships with Indexa: words with how rare they are, and short forms in general use."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path

from indexa.core.naming.abbreviating import fit

_COMMON = 10.0
"""What a word costs at most to be called common."""
_VERY_COMMON = 8.6
_WELL, _VERY_WELL = 0.8, 0.95
DATA = Path(__file__).parent / "data"


@dataclass(frozen=True)
class Lexicon:
    """Words in small letters. `costs` are negative natural logarithms of how likely a word is in a name."""

    costs: dict[str, float]
    mixed: frozenset[str]
    """Words that are written with capitals inside: OAuth, MySQL."""
    with_digits: tuple[str, ...]
    """Words that hold digits: md5, ipv4."""
    plain: frozenset[str]
    """Words that people write out."""
    acronyms: frozenset[str]
    """Words that stay as they are, in capitals."""
    short_forms: dict[str, tuple[str, ...]]
    """Short forms in general use, each with what it stands for, the commonest first; `_` within a phrase."""
    context_words: dict[tuple[str, str], str]
    """What a short form stands for (value) beside a word of its name (short form, word)."""

    @cached_property
    def longest(self) -> int:
        """How many letters the longest word has."""
        return max(map(len, self.costs), default=0)

    @cached_property
    def _common(self) -> dict[str, list[tuple[float, str]]]:
        found: dict[str, list[tuple[float, str]]] = {}
        for word, cost in self.costs.items():
            if cost <= _COMMON and len(word) > 4 and word in self.plain:
                found.setdefault(word[0], []).append((cost, word))
        return {letter: sorted(words) for letter, words in found.items()}

    def fitting(self, short: str) -> list[tuple[str, float, float]]:
        """Return the common words that a short form of three letters or more fits well: word, how well, its cost."""
        if len(short) < 3:
            return []
        words = [(word, fit(short, word), cost) for cost, word in self._common.get(short[0], ())]
        if len(short) > 3 and any(letter in "aeiouy" for letter in short):
            words = [one for one in words if one[1] >= _WELL]
        else:  # as likely an acronym
            words = [one for one in words if one[1] >= _VERY_WELL and one[2] <= _VERY_COMMON]
        return sorted(words, key=lambda one: one[2] - 6 * one[1])[:3]

    @cached_property
    def alphanumeric(self) -> re.Pattern[str]:
        """Find a word that holds digits where it stands alone between other letters."""
        words = "|".join(sorted(map(re.escape, self.with_digits), key=len, reverse=True))
        return re.compile(rf"(?:(?<![a-zA-Z])|(?<=[a-z])(?=[A-Z]))(?i:{words})(?!\d)")


@lru_cache(maxsize=1)
def general() -> Lexicon:
    """Read the lexicon that ships with the package."""
    costs, plain = {}, set()
    for line in (DATA / "words.txt").read_text("ascii").splitlines():
        word, cost, *other = line.split("\t")
        costs[word] = int(cost) / 100
        if not other:
            plain.add(word)
    abbreviations = {}
    for line in (DATA / "short_forms.txt").read_text("ascii").splitlines():
        short, words = line.split("\t")
        abbreviations[short] = tuple(words.split())
    context_words = {}
    for line in (DATA / "beside.txt").read_text("ascii").splitlines():
        short, word, *neighbours = line.split()
        context_words.update({(short, one): word for one in neighbours})
    return Lexicon(
        costs=costs,
        mixed=_lines("mixed.txt"),
        with_digits=tuple(_lines("with_digits.txt")),
        plain=frozenset(plain),
        acronyms=_lines("acronyms.txt"),
        short_forms=abbreviations,
        context_words=context_words,
    )


def _lines(name: str) -> frozenset[str]:
    return frozenset((DATA / name).read_text("utf-8").split())
