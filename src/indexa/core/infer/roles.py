"""The parts that tables and columns play: tables that join two others, subtypes, code tables, columns that repeat others."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator

from indexa.core.infer.code_tables import code_table
from indexa.core.infer.data import DataSaid
from indexa.core.infer.dimensional import dimensional
from indexa.core.infer.foreign import Weigher
from indexa.core.infer.keys import KeyChoice
from indexa.core.infer.names import SchemaNames
from indexa.core.infer.proposal import Proposal
from indexa.core.infer.reference import Reference
from indexa.core.infer.repeated import holders, repeated
from indexa.core.model import Table

_SURE = 0.5
# How often such a proposal is right where its references are: counted in 100 schemas that declare what is plain.
_PAIR_ALONE, _PAIR, _ALONE = 0.97, 0.94, 0.88
_SUBTYPE, _SUBTYPE_BY_GUESS = 0.8, 0.7
_TEXT = re.compile(r"text|clob|n?(var)?char|character|string|json|xml", re.I)


def roles(
    names: SchemaNames, keys: list[list[KeyChoice]], references: dict[int, list[Reference]], data: DataSaid | None
) -> list[Proposal]:
    """Return the parts that tables play, given what each refers to (`references_of`)."""
    incoming = Counter(one.ref_table for made in references.values() for one in made if one.ref_table != one.table)
    held = holders(names)
    made: list[Proposal] = []
    for number, one in enumerate(names.tables):
        out = references.get(number, [])
        columns = key_of(one.table, keys[number])
        made += _many_to_many(names, one.table, columns, out, incoming[number])
        made += _subtype(names, one.table, columns, out)
        made += code_table(names, number, columns, out, incoming[number], data)
        made += repeated(names, held, number, out, data)
    keyed = [key_of(one.table, keys[number]) for number, one in enumerate(names.tables)]
    return made + dimensional(names, keyed, references, incoming)


def references_of(weigher: Weigher, found: Iterable[Reference]) -> dict[int, list[Reference]]:
    """Return what each table refers to: of what was found what is likely, and what is declared."""
    out: dict[int, list[Reference]] = defaultdict(list)
    for reference in found:
        if reference.confidence >= _SURE:
            out[reference.table].append(reference)
    tables = weigher.names.tables
    for number, one in enumerate(tables):
        for key in one.table.foreign_keys:
            target = weigher.by_full.get(
                (f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table).lower()
            )
            if target is not None:
                primary = tables[target].table.primary_key
                there = key.ref_columns or (primary.columns if primary else ())
                out[number].append(Reference(number, key.columns, target, there, 1.0))
    return out


def key_of(table: Table, keys: list[KeyChoice]) -> tuple[str, ...]:
    """Return the primary key of a table: the declared one, or the likeliest."""
    if table.primary_key:
        return table.primary_key.columns
    return keys[0].columns if keys and keys[0].confidence >= _SURE else ()


def _many_to_many(
    names: SchemaNames, table: Table, key: tuple[str, ...], out: list[Reference], incoming: int
) -> Iterator[Proposal]:
    parents = {one.ref_table: one for one in out}
    covered = {column for one in out for column in one.columns}
    own = [column for column in table.columns if column.name not in covered]
    rest = [column.name for column in own]
    unique = [set(key)] + [set(one.columns) for one in table.unique]
    pair = next((columns for columns in unique if columns and columns <= covered and len(columns) > 1), None)
    # What others refer to, what holds texts, or what is known by more than references, is something itself.
    alone = len(rest) - (len(key) == 1 and key[0] in rest) <= 2 and len(parents) == 2
    if pair is None and (
        len(key) > 1 or incoming or any(_TEXT.match(column.type) for column in own if column.name not in key)
    ):
        return
    if len(parents) >= 2 and (pair or alone):
        joined = [names.tables[number].table.full_name for number in parents]
        confidence = _PAIR_ALONE if pair and alone else _PAIR if pair else _ALONE
        yield Proposal(
            kind="many_to_many", schema=table.schema, table=table.name, columns=tuple(sorted(pair or covered)),
            confidence=round(confidence * min(one.confidence for one in parents.values()), 3),
            evidence=(
                f"it joins {' and '.join(f'`{name}`' for name in joined[:3])}",
                "its key is made of references" if pair else "it has hardly any other column",
            ),
            pattern="tables that join two others",
        )  # fmt: skip


def _subtype(names: SchemaNames, table: Table, key: tuple[str, ...], out: list[Reference]) -> Iterator[Proposal]:
    for one in out:
        if key and set(one.columns) == set(key) and names.tables[one.ref_table].table is not table:
            parent = names.tables[one.ref_table].table
            share = _SUBTYPE if table.primary_key else _SUBTYPE_BY_GUESS
            yield Proposal(
                kind="subtype", schema=table.schema, table=table.name, columns=key, ref_schema=parent.schema,
                ref_table=parent.name, ref_columns=one.ref_columns, confidence=round(share * one.confidence, 3),
                evidence=("its whole key refers to that table's key",), pattern=f"parts of {parent.full_name}",
                cardinality="one to one",
            )  # fmt: skip
