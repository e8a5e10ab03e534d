"""Rows for a schema of which only the structure is known: they keep its declared keys and are otherwise as rows mostly are.

Numbers of every table begin at 1 and have gaps, so that one table's stand in many others too; few values are common and many
are rare; what refers leaves some rows of the other table out, and may be empty; a column that is no key has few values, many, or
a value of its own in nearly every row.
"""

from __future__ import annotations

import random
import re
import sqlite3
import uuid
from collections.abc import Iterable, Iterator
from contextlib import closing
from typing import Any

from indexa.adapters.profiling import ask
from indexa.core.infer.asking import ask_in_rounds
from indexa.core.infer.data import DataSaid
from indexa.core.model import VIEW_KINDS, Column, Model, Table
from indexa.core.type_families import family

_LEAST_ROWS, _MOST_ROWS = 8, 3_000
_EMPTY, _CODES = 0.2, 100
_TRIES = 4
Value = int | str | None
Row = dict[str, Value]


def said_by_made_up_rows(model: Model, hidden: Model, seed: int = 5) -> DataSaid:
    """Make up rows that keep the keys of a model, and ask them about the model without its keys, as a source is asked."""
    with closing(sqlite3.connect(":memory:")) as rows:
        for table, made in rows_of(model, seed):
            columns = ", ".join(_quoted(column.name) for column in table.columns)
            rows.execute(f"create table {_quoted(table.full_name)} ({columns})")
            places = ", ".join("?" * len(table.columns))
            values = [[row[column.name] for column in table.columns] for row in made]
            rows.executemany(f"insert into {_quoted(table.full_name)} values ({places})", values)
        session = _Session(rows, {table.schema for table in model.tables if table.schema})
        return ask_in_rounds(hidden, None, lambda asked, seconds: ask(session, "sqlite", asked, None, seconds))


def rows_of(model: Model, seed: int = 5) -> Iterator[tuple[Table, list[Row]]]:
    """Yield the tables of a model, each with rows that keep the keys that are declared."""
    filling = _Filling(model, random.Random(seed))
    for name, table in filling.tables.items():
        yield table, filling.rows_of(name)


class _Session:
    """A session on tables of several schemas that stand in one database under their full names."""

    def __init__(self, rows: sqlite3.Connection, schemas: Iterable[str]) -> None:
        self._rows = rows
        self._written = {f"{_quoted(schema)}.`": f"{_quoted(schema)[:-1]}." for schema in schemas}

    def bound(self, seconds: int) -> None:
        """Nothing here takes long."""

    def ask(self, query: str) -> tuple[Any, ...]:
        """Return the one row of a query."""
        for schema, begun in self._written.items():
            query = query.replace(schema, begun)
        found: tuple[Any, ...] = self._rows.execute(query).fetchone()
        return found


class _Filling:
    def __init__(self, model: Model, draw: random.Random) -> None:
        self._draw = draw
        self.tables = {
            table.full_name.lower(): table for table in model.tables if table.kind not in VIEW_KINDS and table.columns
        }
        self._made: dict[str, list[Row]] = {}
        self._under_way: set[str] = set()

    def rows_of(self, name: str) -> list[Row]:
        """Return the rows of a table, made with those of the tables that it refers to; what refers in a circle is empty."""
        if name in self._made:
            return self._made[name]
        if name in self._under_way:
            return []
        self._under_way.add(name)
        table, draw = self.tables[name], self._draw
        primary = [table.primary_key] if table.primary_key else []
        keys = [key.columns for key in primary + table.unique]
        keys += [
            tuple(part.column for part in one.parts) for one in table.indexes if one.unique and one.predicate is None
        ]
        there = {column.name for column in table.columns}
        keys = [key for key in keys if there.issuperset(key)]
        required = there.intersection(primary[0].columns) if primary else set()
        made: list[Row] = []
        parents = self._parents(table, made)
        referring = {column for own, _, _ in parents for column in own}
        count = round(_LEAST_ROWS * (_MOST_ROWS / _LEAST_ROWS) ** draw.random())
        makers = {
            column.name: self._maker(column, count, alone=(column.name,) in keys)
            for column in table.columns
            if column.name not in referring
        }
        seen: set[tuple[object, ...]] = set()
        for number in range(count * _TRIES):
            if len(made) == count:
                break
            row: Row = {name: maker(number) for name, maker in makers.items()}  # type: ignore[operator]
            for own, there, pool in parents:
                optional = all(c.nullable for c in table.columns if c.name in own) and required.isdisjoint(own)
                parent = (
                    None
                    if not pool or (optional and draw.random() < _EMPTY)
                    else pool[int(len(pool) * draw.random() ** 2)]
                )
                for mine, theirs in zip(own, there, strict=True):
                    if parent is not None or mine not in row:
                        row[mine] = parent[theirs] if parent is not None else None
            text = {
                (at, *(row[column] for column in key))
                for at, key in enumerate(keys)
                if None not in {row[c] for c in key}
            }
            if seen.isdisjoint(text) and not any(row[column] is None for column in required):
                seen |= text
                made.append(row)
        self._under_way.discard(name)
        self._made[name] = made
        return made

    def _parents(self, table: Table, own: list[Row]) -> list[tuple[tuple[str, ...], tuple[str, ...], list[Row]]]:
        found = []
        for key in sorted(table.foreign_keys, key=lambda one: len(one.columns)):
            name = (f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table).lower()
            theirs = self.tables.get(name)
            there = key.ref_columns or (theirs.primary_key.columns if theirs and theirs.primary_key else ())
            if (
                theirs is None
                or len(there) != len(key.columns)
                or not {column.name for column in table.columns}.issuperset(key.columns)
                or not {column.name for column in theirs.columns}.issuperset(there)
            ):
                continue
            if theirs is table:
                found.append((key.columns, tuple(there), own))
                continue
            pool = self.rows_of(name)
            found.append(
                (key.columns, tuple(there), self._draw.sample(pool, max(1, 7 * len(pool) // 10)) if pool else [])
            )
        return found

    def _maker(self, column: Column, count: int, *, alone: bool) -> object:
        draw, kind = self._draw, family(column.type, {})
        if alone:
            if kind == "number" or kind == "other":
                gap = draw.choice((1, 1, 2, 3))
                begun = draw.choice((0, 0, 0, 1_000))
                return lambda number: begun + 1 + number * gap
            if kind in ("identifier", "binary") or "(36)" in column.type:
                return lambda number: str(uuid.UUID(int=draw.getrandbits(128)))
            begun, own = draw.randrange(200), "" if count < _CODES else column.name
            return lambda number: own + _letters(begun + 7 * number)
        # Short texts are codes that many tables have; longer ones are words of their own.
        own = "" if kind == "text" and re.search(r"\([1-5]\)", column.type) else column.name
        many = draw.choice((2, 5, 10, count, 100_000))
        empty = _EMPTY if column.nullable and draw.random() < 0.5 else 0.0
        written = (
            (lambda value: value) if kind in ("number", "yes or no", "other") else lambda value: own + _letters(value)
        )
        most = 2 if kind == "yes or no" else many
        least = draw.choice((0, 1, 1)) if kind == "number" else 0
        return lambda number: (
            None if empty and draw.random() < empty else written(least + int(most * draw.random() ** 2))
        )


def _quoted(name: str) -> str:
    doubled = name.replace("`", "``")
    return f"`{doubled}`"


def _letters(number: int) -> str:
    """Write a number in letters: 0 is A, 26 is AA."""
    text = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        text = chr(65 + rest) + text
    return text
