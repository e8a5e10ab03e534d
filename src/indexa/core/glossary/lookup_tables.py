"""Tables that look like lists of codes: a short key of one column, and words beside it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec

MOST_COLUMNS = 6
_WORDS = ("description", "descr", "desc", "ds", "meaning", "label", "text", "txt", "title", "name", "nm")
"""Ends of names of columns that hold the meaning, the surest first."""


class ColumnShape(msgspec.Struct, frozen=True):
    """What is known of a column: its family is that of its type."""

    id: int
    name: str
    family: str


class TableShape(msgspec.Struct, frozen=True):
    """A table with the columns of its key, and how many relationships refer to it."""

    id: int
    columns: tuple[ColumnShape, ...]
    key: tuple[int, ...]
    referred: int


class LookupTable(msgspec.Struct, frozen=True):
    """A table that is read as a list of codes: by which column, and where the meaning stands (None: nowhere)."""

    table: int
    code: int
    meaning: int | None
    referred: int


def lookup_tables(tables: Iterable[TableShape]) -> list[LookupTable]:
    """Return those that look like lists of codes, the most referred first.

    A list of codes has one column as its key, few columns in all, and a text whose name says that it holds words.
    """
    found = []
    for table in tables:
        if len(table.key) != 1 or not 2 <= len(table.columns) <= MOST_COLUMNS:
            continue
        meaning = _meaning(table.columns, table.key[0])
        if meaning is not None and _rank(meaning.name) < len(_WORDS):
            found.append(LookupTable(table.id, table.key[0], meaning.id, table.referred))
    return sorted(found, key=lambda one: (-one.referred, one.table))


def _meaning(columns: Sequence[ColumnShape], key: int) -> ColumnShape | None:
    texts = [one for one in columns if one.id != key and one.family == "text"]
    return min(texts, key=lambda one: _rank(one.name), default=None)


def _rank(name: str) -> int:
    plain = name.lower()
    return next((place for place, word in enumerate(_WORDS) if plain.endswith(word)), len(_WORDS))
