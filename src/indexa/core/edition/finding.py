"""Finding names in texts, in SQL as in prose: by runs of words, as fast for ten thousand names as for one."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable

_WORD = re.compile(r"\w+")


def words_of(text: str) -> tuple[str, ...]:
    """Return the words of a text in lower case; signs part them, as in a name that is quoted or has a blank."""
    return tuple(_WORD.findall(text.lower()))


def finder(known_by: Iterable[tuple[str, str]]) -> Callable[[str], tuple[str, ...]]:
    """Return what finds names in a text, whatever case they are in.

    Takes pairs of what something is known by in a text ("bill.inv", "IBAN of the payer") and what is returned when that is
    there. Signs do not count: "no#" is found where "no" stands. A name of signs alone is found wherever they stand.
    """
    runs: dict[tuple[str, ...], str] = {}
    signs: dict[str, str] = {}
    for name, found_as in known_by:
        if run := words_of(name):
            runs.setdefault(run, found_as)
        elif name:
            signs.setdefault(name, found_as)
    first = {run[0] for run in runs}
    lengths = sorted({len(run) for run in runs})

    def found_in(text: str) -> tuple[str, ...]:
        words = words_of(text) if runs else ()
        found = {
            runs[run]: None
            for at, word in enumerate(words)
            if word in first
            for length in lengths
            if (run := words[at : at + length]) in runs
        }
        found |= {found_as: None for name, found_as in signs.items() if name in text}
        return tuple(found)

    return found_in
