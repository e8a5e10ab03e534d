"""Columns that queries join: in the bodies of views, routines and triggers."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from indexa.core.model import Model

_MOST_LETTERS = 100_000
_NAME = r'(?:[\w$#]+|"[^"]+"|`[^`]+`|\[[^\]]+\])'
_TABLES = re.compile(
    rf"\b(?:from|join|update|into|,)\s+(?:only\s+|lateral\s+)?((?:{_NAME}\s*\.\s*)*{_NAME})(?:\s+(?:as\s+)?({_NAME}))?",
    re.I,
)
_EQUAL = re.compile(
    rf"((?:{_NAME}\s*\.\s*)*{_NAME})\s*\.\s*({_NAME})\s*=\s*((?:{_NAME}\s*\.\s*)*{_NAME})\s*\.\s*({_NAME})", re.I
)
_USING = re.compile(
    rf"\bjoin\s+((?:{_NAME}\s*\.\s*)*{_NAME})(?:\s+(?:as\s+)?(?!using\b){_NAME})?\s+using\s*\(([^)]*)\)", re.I
)
_COMMENTS = re.compile(r"--[^\n]*|/\*.*?\*/", re.S)
_NO_ALIAS = frozenset(
    "on using where join left right inner outer cross full natural set values select group order having union".split()
)

End = tuple[str, str]
"""A table's full name and a column, in small letters."""


def joined_columns(model: Model) -> Counter[tuple[End, End]]:
    """Count the pairs of columns that the model's views, routines and triggers set equal, each pair in both orders."""
    known: dict[str, str] = {}
    columns: dict[str, frozenset[str]] = {}
    for table in model.tables:
        full = table.full_name.lower()
        columns[full] = frozenset(column.name.lower() for column in table.columns)
        known[full] = full
        known.setdefault(table.name.lower(), full)
    found: Counter[tuple[End, End]] = Counter()
    for body in _bodies(model):
        for pair in set(_joins(body, known, columns)):
            found[pair] += 1
            found[pair[1], pair[0]] += 1
    return found


def _bodies(model: Model) -> Iterator[str]:
    for table in model.tables:
        if table.definition_sql:
            yield table.definition_sql
        for trigger in table.triggers:
            yield trigger.definition
    for routine in model.routines:
        yield routine.definition


def _joins(body: str, known: dict[str, str], columns: dict[str, frozenset[str]]) -> Iterator[tuple[End, End]]:
    text = _COMMENTS.sub(" ", body[:_MOST_LETTERS])
    names: dict[str, str] = {}
    for table_name, alias in _TABLES.findall(text):
        full = _table(table_name, known)
        if full:
            names[_bare(table_name.rsplit(".", 1)[-1])] = full
            if alias and _bare(alias) not in _NO_ALIAS:
                names[_bare(alias)] = full
    for left, column, right, ref_column in _EQUAL.findall(text):
        ends = [
            (names.get(_bare(side.rsplit(".", 1)[-1]), ""), _bare(name))
            for side, name in ((left, column), (right, ref_column))
        ]
        if all(table and name in columns[table] for table, name in ends) and ends[0] != ends[1]:
            yield ends[0], ends[1]
    for joined, shared in _USING.findall(text):
        full = _table(joined, known)
        for name in filter(None, map(_bare, shared.split(","))):
            if full and name in columns[full]:
                for other in set(names.values()) - {full}:
                    if name in columns[other]:
                        yield (full, name), (other, name)


def _table(name: str, known: dict[str, str]) -> str:
    parts = [_bare(part) for part in name.split(".")]
    return known.get(".".join(parts[-2:]), "") or known.get(parts[-1], "")


def _bare(name: str) -> str:
    return name.strip().strip('"`[]').lower()
