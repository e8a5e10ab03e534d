"""Does one name abbreviate another: the same words in the same order, some of them shortened."""

from __future__ import annotations

import re

from indexa.core.naming.abbreviating import fit
from indexa.core.naming.lexicon import general

_PIECE = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")
_FITS = 0.3
"""From here on a short form is taken for a word that stands at the same place."""


def abbreviates(one: str, other: str) -> bool:
    """Return whether one of two different names is the other with one or more of its words shortened."""
    words, others = _words(one), _words(other)
    if len(words) != len(others) or words == others:
        return False
    return _shortens(words, others) or _shortens(others, words)


def _words(name: str) -> list[str]:
    return [piece.lower() for piece in _PIECE.findall(name)]


def _shortens(short: list[str], whole: list[str]) -> bool:
    return all(_is_short(one, other) for one, other in zip(short, whole, strict=True))


def _is_short(short: str, word: str) -> bool:
    if short == word or fit(short, word) >= _FITS:
        return True
    return len(short) < len(word) and word in general().short_forms.get(short, ())
