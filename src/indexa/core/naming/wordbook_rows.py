"""A two-column list as a wordbook: which column has the short forms, what is doubled, what contradicts itself."""

from __future__ import annotations

import csv
import io
from collections import defaultdict
from collections.abc import Iterable, Iterator

import msgspec

from indexa.core.errors import CoreError
from indexa.core.naming.abbreviating import fit
from indexa.core.naming.wordbook import Word, Wordbook

_SHORT_HEADS = frozenset(
    "short abbreviation abbr abbrev abbreviations shortform code physical acronym token shortname physicalname".split()
)
_WORD_HEADS = frozenset(
    "word words term full name business meaning long expansion logical fullform description fullname businessname logicalname longname longform".split()
)
MOST_WORDS = 200_000
_LONGEST = 200


class Reading(msgspec.Struct):
    """A wordbook out of a list, and what had to be decided on the way; each note with its line."""

    wordbook: Wordbook
    notes: list[tuple[int, str]]
    short_first: bool


def rows_of_list(text: str) -> Iterator[tuple[int, list[str]]]:
    """Take a delimited list apart: line number and cells of each row, parted by what most lines hold exactly once."""
    lines = [line for line in text.split("\n", 200)[:200] if line.strip()]
    delimiter = max(
        ",;\t|=:", key=lambda one: (sum(line.count(one) == 1 for line in lines), sum(line.count(one) for line in lines))
    )
    csv.field_size_limit(1_000_000)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    try:
        for cells in reader:
            yield reader.line_num, cells
    except csv.Error as error:
        raise CoreError(f"line {reader.line_num} can't be read: {error}") from None


def read_rows(rows: Iterable[tuple[int, list[str]]], name: str) -> Reading:
    """Return the wordbook of a list with a word and a short form in each row, in either order, with or without a head.

    Rows hold line number and cells. Cells beyond the first two that are filled are not looked at. Raises CoreError where
    no row has two cells.
    """
    pairs: list[tuple[int, str, str]] = []
    notes: list[tuple[int, str]] = []
    for number, cells in rows:
        filled = [" ".join(cell.split()) for cell in cells]
        if not any(filled):
            continue
        if len(pairs) >= MOST_WORDS:
            raise CoreError(f"line {number}: more than {MOST_WORDS:,} rows; split the list")
        if len(filled) < 2 or not filled[0] or not filled[1]:
            notes.append((number, f"Left out: it has one cell only, “{(filled[0] or filled[-1])[:40]}”."))
        elif len(filled[0]) > _LONGEST or len(filled[1]) > _LONGEST:
            notes.append((number, f"Left out: a word of more than {_LONGEST} letters."))
        else:
            pairs.append((number, filled[0], filled[1]))
    if not pairs:
        raise CoreError("no row has two cells, a word and its short form")
    head = [_head(pairs[0][1]), _head(pairs[0][2])]
    headed = (head[0] in _SHORT_HEADS and head[1] in _WORD_HEADS) or (
        head[0] in _WORD_HEADS and head[1] in _SHORT_HEADS
    )
    if headed and len(pairs) > 1:
        short_first = head[0] in _SHORT_HEADS
        pairs = pairs[1:]
    else:
        short_first = sum(_speaks_for_short_first(first, second) for _, first, second in pairs) > 0
    abbreviations: dict[str, dict[str, int]] = defaultdict(dict)  # word, its short forms and their lines
    words: dict[str, dict[str, str]] = defaultdict(dict)  # short form, its words
    written: dict[str, str] = {}
    for number, first, second in pairs:
        short, word = (first.lower(), second) if short_first else (second.lower(), first)
        key = written.setdefault(word.lower(), word)
        if short in abbreviations[key]:
            notes.append((number, f"Doubled: “{short}” for “{key}” is in line {abbreviations[key][short]} already."))
            continue
        if words[short] and key not in words[short]:
            others = "”, “".join(words[short])
            notes.append((number, f"Ambiguous: “{short}” stands for “{others}” as well as “{key}”; both are kept."))
        abbreviations[key][short] = number
        words[short][key] = ""
    notes.sort()
    book = Wordbook(
        name=name,
        words=tuple(Word(word=word, abbreviations=tuple(found)) for word, found in abbreviations.items() if found),
    )
    return Reading(book, notes, short_first)


def _head(cell: str) -> str:
    return cell.lower().replace(" ", "").replace("_", "")


def _speaks_for_short_first(first: str, second: str) -> int:
    low_first, low_second = first.lower(), second.lower()
    if fit(low_first, low_second) > 0.5:
        return 3
    if fit(low_second, low_first) > 0.5:
        return -3
    return (len(second) > len(first)) - (len(second) < len(first))
