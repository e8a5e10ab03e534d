"""How well a short form fits a word: vowels dropped, cut off, contracted, or the initials of a phrase."""

from __future__ import annotations

from functools import lru_cache

_VOWELS = frozenset("aeiou")


def skeleton(word: str) -> str:
    """Return the word without its vowels, but for the first letter, doubled letters once: `meter` gives mtr."""
    kept = [word[:1]]
    for letter in word[1:]:
        if letter not in _VOWELS and letter != kept[-1]:
            kept.append(letter)
    return "".join(kept)


@lru_cache(maxsize=200_000)
def fit(short: str, word: str) -> float:
    """Return from 0 (no abbreviation of it) to 1 how regularly the short form abbreviates the word.

    Both are in small letters. Regular ways, the surest first: all vowels dropped (mtr, meter), the beginning (cust,
    customer), the first consonants (cnsm, consumption), a contraction that keeps the last letter (acct, account), letters
    in order.
    """
    size = len(short)
    if size < 2 or size >= len(word) or short[0] != word[0]:
        return 0.0
    if word.startswith(short):
        if len(word) - size == 1 and word[-1] == "s":
            return 0.0  # the singular
        return (0.3, 0.8, 0.92, 0.95)[min(size, 5) - 2]
    bones = skeleton(word)
    short_bones = skeleton(short)
    if short in (bones, "".join(c for i, c in enumerate(word) if not i or c not in _VOWELS)):
        return 0.85 if size == 2 else 0.97
    if not _in_order(short, word):
        return 0.0
    if bones.startswith(short) and size >= 3:
        return 0.8
    kept = len(short_bones) / max(1, len(bones))
    if short[-1] == word[-1]:
        return (0.6 if size == 2 else 0.7) + 0.25 * kept if size > 2 or len(word) <= 7 else 0.35
    if short_bones == bones[: len(short_bones)]:
        return 0.7 if size >= 3 else 0.3
    return 0.25 + 0.35 * kept if size >= 3 else 0.15


def _in_order(short: str, word: str) -> bool:
    letters = iter(word)
    return all(letter in letters for letter in short)


def initials(words: list[str], start: int, short: str, small: frozenset[str]) -> int:
    """Return behind which word a phrase ends whose initials spell the short form, from start on; 0 if none does.

    Connecting words may give their initial or none: date of birth is dob, unit of measure uom, end of day eod.
    """
    at = start
    for letter in short:
        while at < len(words) and words[at] in small and words[at][0] != letter:
            at += 1
        if at >= len(words) or words[at][:1] != letter:
            return 0
        at += 1
    return at if at - start > 1 else 0
