"""Models to write change scripts between: changed at random, and furnished with what tables have beside columns and keys."""

from __future__ import annotations

import copy
import random

from indexa.core import platforms
from indexa.core.compare.matching import KnownRenames
from indexa.core.ddl.names import Namer
from indexa.core.ddl.types import TABLE
from indexa.core.model import Check, Column, Enum, Index, IndexPart, Key, Model, Sequence, Table

_DEFAULTS = {"int": ("0", "5", "-1"), "num": ("0", "1.5"), "text": ("'x'", "'it''s'", "''"), "date": ("CURRENT_DATE",)}
_CHECKS = {"int": "{0} > 3", "num": "{0} >= 0 and {0} < 100", "text": "{0} in ('a', 'b')", "date": "{0} is not null"}


def mutated(model: Model, platform: str, draw: random.Random) -> Model:
    """Return a model with some columns changed, added and gone, and some tables gone; keys and relationships stay whole."""
    made = copy.deepcopy(model)
    referred = {key.ref_table for table in made.tables for key in table.foreign_keys}
    made.tables = [one for one in made.tables if one.name in referred or draw.random() < 0.9] or made.tables
    dialect = platforms.get(platform).dialect
    for table in made.tables:
        used = {name for key in table.foreign_keys for name in key.columns}
        used |= set(table.primary_key.columns) if table.primary_key else set()
        for column in list(table.columns):
            if column.name in used or draw.random() < 0.5:
                continue
            if draw.random() < 0.3 and len(table.columns) > 1:
                table.columns.remove(column)
            elif draw.random() < 0.5:
                column.nullable = not column.nullable
            else:
                written = TABLE[platform][draw.choice(["integer", "varchar", "decimal"])].partition("!")[0]
                column.type = dialect.canonical_type(written.format(length=30, scale=2))
        if draw.random() < 0.4:
            date = dialect.canonical_type(TABLE[platform]["date"].partition("!")[0])
            table.columns.append(Column(dialect.folded("brand_new"), 0, date))
        for number, column in enumerate(table.columns, 1):
            column.position = number
    return made


def dressed(model: Model, platform: str, draw: random.Random) -> Model:
    """Return a model with indexes, unique keys and comments; some have the name that others have in another dress."""
    made, folded = copy.deepcopy(model), platforms.get(platform).dialect.folded
    for number, table in enumerate(made.tables):
        names = [column.name for column in table.columns]

        def some(names: list[str] = names) -> list[str]:
            return draw.sample(names, draw.randint(1, min(2, len(names))))

        for place in range(draw.randint(0, 2)):
            parts = tuple(IndexPart(name, descending=draw.random() < 0.3) for name in some())
            name = folded(f"ix_{number}_{place}_{draw.randint(0, 2)}")
            table.indexes.append(Index(name=name, unique=draw.random() < 0.3, parts=parts))
        key = tuple(some())
        if draw.random() < 0.4 and not (table.primary_key and set(key) == set(table.primary_key.columns)):
            table.unique.append(Key(name=folded(f"uq_{number}_{draw.randint(0, 2)}"), columns=key))
        table.comment = draw.choice(["", "", "What it's for", "Größe\nin m", "a; -- b"])
        for column in table.columns:
            column.comment = draw.choice(["", "", "", "as it's said", "x"])
    return made


def furnished(model: Model, platform: str, draw: random.Random) -> Model:
    """Return a model with defaults and checks; with a view; with types, sequences and columns that count or are worked out."""
    made, quoted = copy.deepcopy(model), Namer(platform).quoted
    if platform == "postgresql":
        _types_and_sequences(made, draw)
    for number, table in enumerate(made.tables):
        for column in table.columns:
            family = "" if platform == "mysql" and column.type in ("text", "date") else _family(column.type)
            if family and draw.random() < 0.3:
                column.default = draw.choice(_DEFAULTS[family])
            if family and draw.random() < 0.3 and not _is_key(made, table, column.name):
                name = f"ck_{number}_{draw.randint(0, 9)}"
                if all(one.name != name for one in table.checks):
                    table.checks.append(Check(name=name, expression=_CHECKS[family].format(quoted(column.name))))
        _columns_of_the_platform(made, table, platform, draw)
    if platform != "mysql" and draw.random() < 0.5:
        table = draw.choice(made.tables)
        shown = draw.sample(table.columns, min(len(table.columns), 2))
        path = ".".join(quoted(name) for name in (table.schema, table.name) if name)
        query = f"select {', '.join(quoted(one.name) for one in shown)} from {path}"
        columns = [Column(one.name, place, one.type) for place, one in enumerate(shown, 1)]
        made.tables.append(Table(schema=table.schema, name="v_all", kind="view", definition_sql=query, columns=columns))
    return made


def _family(type_: str) -> str:
    words = {"int": ("int",), "num": ("numeric", "decimal"), "text": ("char", "text"), "date": ()}
    if type_.lower() == "date":
        return "date"
    return next((name for name, parts in words.items() if any(part in type_.lower() for part in parts)), "")


def _is_key(model: Model, table: Table, column: str) -> bool:
    own = {name for key in table.foreign_keys for name in key.columns}
    referred = {
        name
        for one in model.tables
        for key in one.foreign_keys
        if key.ref_table == table.name
        for name in key.ref_columns
    }
    return column in own | referred | set(table.primary_key.columns if table.primary_key else ())


def _types_and_sequences(made: Model, draw: random.Random) -> None:
    schema = made.tables[0].schema
    for number in range(draw.randint(0, 2)):
        values = draw.sample(["new", "open", "it's", "closed", "void"], draw.randint(1, 4))
        made.enums.append(Enum(name=f"mood_{number}", schema=schema, values=tuple(values)))
    for number in range(draw.randint(0, 2)):
        made.sequences.append(Sequence(
            name=f"seq_{number}", schema=schema, type=draw.choice(["bigint", "integer"]), start=draw.choice([1, 100]),
            increment=draw.choice([1, 5]), minimum=1, maximum=draw.choice([1000, 2000]), cycle=draw.random() < 0.3,
        ))  # fmt: skip


def _columns_of_the_platform(made: Model, table: Table, platform: str, draw: random.Random) -> None:
    place = len(table.columns)
    if platform == "mysql" and draw.random() < 0.5:
        type_ = draw.choice(["enum('a','b')", "enum('b','c','a')"])
        table.columns.append(Column("mood", place + 1, type_, draw.random() < 0.5))
    if made.enums and draw.random() < 0.6:
        enum = draw.choice(made.enums)
        first = enum.values[0].replace("'", "''")
        default = f"'{first}'::{enum.schema}.{enum.name}" if draw.random() < 0.5 else None
        table.columns.append(Column("mood", place + 1, f"{enum.schema}.{enum.name}", draw.random() < 0.5, default))
    if platform == "postgresql" and draw.random() < 0.4:
        identity = draw.choice(["always", "by default"])
        table.columns.append(Column("auto", place + 2, draw.choice(["integer", "bigint"]), False, identity=identity))
    if platform == "postgresql" and draw.random() < 0.3:
        worked_out = draw.choice(["(1 + 1)", "(2 * 3)"])
        table.columns.append(Column("twice", place + 3, "integer", True, generated=worked_out))


def renamed(model: Model, draw: random.Random) -> tuple[Model, KnownRenames]:
    """Return a model in which some tables and columns have other names, in keys and indexes too, and the renames."""
    made, renames = copy.deepcopy(model), KnownRenames()
    moved: dict[str, str] = {}
    for number, table in enumerate(made.tables):
        if draw.random() < 0.3:
            moved[table.name] = f"re_{draw.randint(0, 99)}_{number}"
            renames.tables.append(((table.schema, table.name), (table.schema, moved[table.name])))
            table.name = moved[table.name]
    for table in made.tables:
        for key in table.foreign_keys:
            key.ref_table = moved.get(key.ref_table, key.ref_table)
    for table in made.tables:
        for column in table.columns:
            if draw.random() < 0.2:
                new = f"col_{draw.randint(0, 99)}_{column.position}"
                renames.columns.append(((table.schema, table.name), column.name, new))
                _call(made, table, column, new)
    return made, renames


def _call(made: Model, table: Table, column: Column, new: str) -> None:
    old, column.name = column.name, new

    def in_place(names: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(new if name == old else name for name in names)

    if table.primary_key:
        table.primary_key.columns = in_place(table.primary_key.columns)
    for key in (*table.unique, *table.foreign_keys):
        key.columns = in_place(key.columns)
    for index in table.indexes:
        for part in index.parts:
            part.column = new if part.column == old else part.column
    for other in made.tables:
        for reference in other.foreign_keys:
            if reference.ref_table == table.name:
                reference.ref_columns = in_place(reference.ref_columns)
