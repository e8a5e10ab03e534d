"""DDL and derived models of many tables, and a key that follows through many generations, beside plain joining of strings."""

from __future__ import annotations

from itertools import pairwise

from bench.common import timed
from bench.layout import made_up
from indexa.core.building.changing import add_column, add_table, change_column, relate
from indexa.core.building.parts import Part
from indexa.core.ddl.writing import write_ddl
from indexa.core.logical.derive import derive_logical
from indexa.core.logical.physical import derive_physical
from indexa.core.naming.patterns import render
from indexa.core.naming.standard import DEFAULT

TABLES = 10_000
GENERATIONS = 1_000


def main(_: list[str]) -> None:
    """Print seconds for each, with its goal."""
    model = made_up(TABLES)
    for number, table in enumerate(model.tables):
        table.id = f"t{number}"
        for at, column in enumerate(table.columns):
            column.id = f"c{number * 100 + at}"
    script, same = timed(lambda: write_ddl(model, "postgresql").text())
    pieces = [f"{line}\n" for line in script.splitlines()]
    _, joined = timed(lambda: "".join(pieces))
    _, other = timed(lambda: write_ddl(model, "oracle").text())
    print(
        f"DDL of {TABLES:,} tables, {len(script):,} letters: PostgreSQL {same:.1f} s, for Oracle {other:.1f} s (goal 3);"
    )
    print(f"  joining its {len(pieces):,} ready-made lines takes {joined:.3f} s")
    logical, up = timed(lambda: derive_logical(model, "logical"))
    _, down = timed(lambda: derive_physical(logical, "oracle", DEFAULT, name="o", schema="s", renderer=render))
    print(f"derived: logical in {up:.1f} s, physical for Oracle in {down:.1f} s (goal 10, with storing)")
    part = Part({}, {})
    tables = [add_table(part, f"T{at}") for at in range(GENERATIONS)]
    add_column(part, tables[0].id, "No", "bigint", in_key=True)
    for parent, child in pairwise(tables):
        relate(part, parent.id, child.id, identifying=True)
    _, grown = timed(lambda: add_column(part, tables[0].id, "Region", "char(2)", in_key=True))
    _, typed = timed(lambda: change_column(part, tables[0].id, tables[0].key[0], type_="uuid"))
    _, copied = timed(part.copy)
    print(f"a column more in a key that goes through {GENERATIONS:,} tables: {grown:.2f} s (goal 1)")
    print(
        f"a key's type through {GENERATIONS:,} tables: {typed:.3f} s, the copy that is changed {copied:.2f} s (goal 1)"
    )
