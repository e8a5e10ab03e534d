"""Rows for a schema of which only the structure is known: they keep its declared keys and are otherwise as rows mostly are.

Numbers of every table begin at 1 and have gaps, so that one table's stand in many others too; few values are common and many
are rare; what refers leaves some rows of the other table out, and may be empty; a column that is no key has few values, many, or
a value of its own in nearly every row.
"""

from __future__ import annotations

import random
import sqlite3
import uuid

from indexa.core.model import VIEW_KINDS, Column, Model, Table
from indexa.core.type_families import family

_LEAST_ROWS, _MOST_ROWS = 8, 3_000
_EMPTY = 0.2
_TRIES = 4
Value = int | str | None


def fill(model: Model, rows: sqlite3.Connection, seed: int = 5) -> None:
    """Make a table in a SQLite file for each table of a model, under its full name, and fill it."""
    _Filling(model, random.Random(seed)).into(rows)


class _Filling:
    def __init__(self, model: Model, draw: random.Random) -> None:
        self._draw = draw
        self._tables = {
            table.full_name.lower(): table for table in model.tables if table.kind not in VIEW_KINDS and table.columns
        }
        self._made: dict[str, list[dict[str, Value]]] = {}
        self._under_way: set[str] = set()

    def into(self, rows: sqlite3.Connection) -> None:
        for name, table in self._tables.items():
            columns = ", ".join(f'"{column.name}"' for column in table.columns)
            rows.execute(f'create table "{table.full_name}" ({columns})')
            places = ", ".join("?" * len(table.columns))
            rows.executemany(
                f'insert into "{table.full_name}" values ({places})',
                [[row[column.name] for column in table.columns] for row in self._rows_of(name)],
            )

    def _rows_of(self, name: str) -> list[dict[str, Value]]:
        """Return the rows of a table, made with those of the tables that it refers to; what refers in a circle is empty."""
        if name in self._made:
            return self._made[name]
        if name in self._under_way:
            return []
        self._under_way.add(name)
        table, draw = self._tables[name], self._draw
        primary = [table.primary_key] if table.primary_key else []
        keys = [key.columns for key in primary + table.unique]
        keys += [
            tuple(part.column for part in one.parts) for one in table.indexes if one.unique and one.predicate is None
        ]
        keys = [key for key in keys if all(key)]
        required = set(primary[0].columns) if primary else set()
        parents = self._parents(table)
        referring = {column for own, _, _ in parents for column in own}
        count = round(_LEAST_ROWS * (_MOST_ROWS / _LEAST_ROWS) ** draw.random())
        makers = {
            column.name: self._maker(column, count, alone=(column.name,) in keys)
            for column in table.columns
            if column.name not in referring
        }
        made: list[dict[str, Value]] = []
        seen: set[tuple[object, ...]] = set()
        for number in range(count * _TRIES):
            if len(made) == count:
                break
            row: dict[str, Value] = {name: maker(number) for name, maker in makers.items()}  # type: ignore[operator]
            for own, there, pool in parents:
                optional = all(c.nullable for c in table.columns if c.name in own) and required.isdisjoint(own)
                parent = None if not pool or (optional and draw.random() < _EMPTY) else pool[int(len(pool) * draw.random() ** 2)]
                for mine, theirs in zip(own, there, strict=True):
                    if parent is not None or mine not in row:
                        row[mine] = parent[theirs] if parent is not None else None
            told = {(at, *(row[column] for column in key)) for at, key in enumerate(keys) if None not in {row[c] for c in key}}
            if seen.isdisjoint(told) and not any(row[column] is None for column in required):
                seen |= told
                made.append(row)
        self._under_way.discard(name)
        self._made[name] = made
        return made

    def _parents(self, table: Table) -> list[tuple[tuple[str, ...], tuple[str, ...], list[dict[str, Value]]]]:
        found = []
        for key in sorted(table.foreign_keys, key=lambda one: len(one.columns)):
            name = (f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table).lower()
            theirs = self._tables.get(name)
            there = key.ref_columns or (theirs.primary_key.columns if theirs and theirs.primary_key else ())
            if theirs is None or len(there) != len(key.columns):
                continue
            pool = self._rows_of(name)
            found.append((key.columns, tuple(there), self._draw.sample(pool, max(1, 7 * len(pool) // 10)) if pool else []))
        return found

    def _maker(self, column: Column, count: int, *, alone: bool) -> object:
        draw, kind = self._draw, family(column.type, {})
        if alone:
            if kind == "number" or kind == "other":
                gap = draw.choice((1, 1, 2, 3))
                begun = draw.choice((0, 0, 0, 1_000))
                return lambda number: begun + 1 + number * gap
            if kind == "identifier":
                return lambda number: str(uuid.UUID(int=draw.getrandbits(128)))
            begun = draw.randrange(200)
            return lambda number: _letters(begun + 7 * number)
        many = draw.choice((2, 5, 10, count, 100_000))
        empty = _EMPTY if column.nullable and draw.random() < 0.5 else 0.0
        written = (lambda value: value) if kind in ("number", "yes or no", "other") else _letters
        most = 2 if kind == "yes or no" else many
        return lambda number: None if empty and draw.random() < empty else written(int(most * draw.random() ** 2))


def _letters(number: int) -> str:
    """Write a number in letters: 0 is A, 26 is AA."""
    text = ""
    number += 1
    while number:
        number, rest = divmod(number - 1, 26)
        text = chr(65 + rest) + text
    return text
