"""Columns that look as if no two rows had the same value: a code named after its table, a login, a universal identifier."""

from __future__ import annotations

from collections.abc import Iterator

from indexa.core.infer.data import DataSaid
from indexa.core.infer.key_signs import speaks_of_itself
from indexa.core.infer.matching import stem_of
from indexa.core.infer.names import SchemaNames
from indexa.core.infer.proposal import Proposal
from indexa.core.model import Column, Table

_CODES = frozenset("code cd cod no num nr nbr number ref".split())
_TELLING = {
    ("uuid",): (0.6, 0.5),
    ("guid",): (0.6, 0.5),
    ("slug",): (0.55, 0.2),
    ("login",): (0.5, 0.2),
    ("username",): (0.5, 0.2),
    ("user", "name"): (0.5, 0.2),
    ("email",): (0.45, 0.2),
    ("token",): (0.7, 0.25),
}
"""Names of columns → how often they are declared unique where they must be filled, and where they may be empty: counted in
some 80 schemas that declare unique keys."""
_CODE = (0.75, 0.3)
_SAMPLED, _LEAST, _SURE = 0.3, 0.3, 0.95


def telling_columns(names: SchemaNames, number: int, key: tuple[str, ...]) -> Iterator[tuple[Column, float, str]]:
    """Yield the columns of a table that may be a unique key besides its own, how likely, and why."""
    named = names.tables[number]
    known = {frozenset(columns) for columns in _declared(named.table)} | {frozenset(key)}
    for column in named.table.columns:
        if frozenset((column.name,)) in known:
            continue
        words = named.columns[column.name]
        stem = stem_of(words)
        if words in _TELLING:
            yield column, _TELLING[words][column.nullable], "such columns tell rows apart"
        elif stem.key_words and stem.key_words[-1] in _CODES and speaks_of_itself(names, named, column.name) == "whole":
            yield column, _CODE[column.nullable], "it is a code named after its table"


def unique_keys(names: SchemaNames, number: int, key: tuple[str, ...], data: DataSaid | None) -> Iterator[Proposal]:
    """Yield the unique keys that a table does not declare; what sampled rows hold twice is none."""
    table = names.tables[number].table
    for column, confidence, why in telling_columns(names, number, key):
        evidence = [why]
        if not column.nullable:
            evidence.append("it must be filled")
        message = data.unique.get((table.schema, table.name, (column.name,))) if data is not None else None
        if message == 0:
            continue
        if message:
            confidence += _SAMPLED
            evidence.append("no sampled row holds it twice")
        if confidence < _LEAST:
            continue
        yield Proposal(
            kind="unique", schema=table.schema, table=table.name, columns=(column.name,), confidence=round(min(_SURE, confidence), 3),
            evidence=tuple(evidence), pattern="codes named after their table" if "code" in why else "what tells rows apart",
        )  # fmt: skip


def _declared(table: Table) -> Iterator[tuple[str, ...]]:
    if table.primary_key:
        yield table.primary_key.columns
    yield from (key.columns for key in table.unique)
    yield from (tuple(part.column for part in index.parts) for index in table.indexes if index.unique)
