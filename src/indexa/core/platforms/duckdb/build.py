"""From a DuckDB file's own catalog to a Model."""

from __future__ import annotations

import re
from collections.abc import Iterable
from itertools import groupby
from sys import intern
from typing import Any

from indexa.core.errors import CoreError
from indexa.core.intake.catalog import CatalogBuilder
from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Receipt
from indexa.core.model import (
    Check,
    Column,
    Enum,
    ForeignKey,
    Index,
    IndexPart,
    Key,
    Model,
    Routine,
    SchemaInfo,
    Sequence,
    Table,
)
from indexa.core.platforms import Session, Tick
from indexa.core.platforms.duckdb.dialect import DIALECT
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.state import Script
from indexa.core.scripts.tables import create_table
from indexa.core.scripts.tokens import Statement

_HERE = "database_name = current_database() and not internal"

COUNTS = f"""
select s.schema_name, k.kind, k.number from duckdb_schemas() s left join (
  select schema_name, 'tables' as kind, count(*) as number from duckdb_tables() where {_HERE} group by 1
  union all select schema_name, 'views', count(*) from duckdb_views() where {_HERE} group by 1
  union all select schema_name, 'sequences', count(*) from duckdb_sequences() where database_name = current_database() group by 1
  union all select schema_name, 'types', count(*) from duckdb_types() where {_HERE} group by 1
  union all select schema_name, 'routines', count(*) from duckdb_functions() where {_HERE} group by 1
) k on k.schema_name = s.schema_name
where s.database_name = current_database() and s.schema_name not in ('information_schema', 'pg_catalog') order by 1, 2"""

TABLE_NAMES = f"""
select schema_name, table_name, false from duckdb_tables() where {_HERE}
union all select schema_name, view_name, true from duckdb_views() where {_HERE} order by 1, 2"""

SCHEMAS = "select schema_name, comment from duckdb_schemas() where database_name = current_database() order by 1"
TABLES = f"select schema_name, table_name, comment, sql from duckdb_tables() where {_HERE} and not temporary order by table_oid"
VIEWS = (
    f"select schema_name, view_name, comment, sql from duckdb_views() where {_HERE} and not temporary order by view_oid"
)
COLUMNS = f"""
select schema_name, table_name, column_name, data_type, is_nullable, column_default, comment
from duckdb_columns() where {_HERE} order by table_oid, column_index"""
CONSTRAINTS = """
select schema_name, table_name, constraint_type, constraint_name, constraint_column_names, expression, referenced_table,
       referenced_column_names
from duckdb_constraints() where database_name = current_database() and constraint_type <> 'NOT NULL' order by table_oid, constraint_index"""
INDEXES = """
select schema_name, table_name, index_name, is_unique, comment, expressions, sql
from duckdb_indexes() where database_name = current_database() and not is_primary order by table_oid, index_oid"""
SEQUENCES = """
select schema_name, sequence_name, comment, start_value, increment_by, min_value, max_value, cycle
from duckdb_sequences() where database_name = current_database() and not temporary order by 1, 2"""
ENUMS = f"""
select schema_name, type_name, comment, labels from duckdb_types() where {_HERE} and logical_type = 'ENUM' order by 1, 2"""
MACROS = f"""
select schema_name, function_name, comment, parameters, macro_definition, return_type
from duckdb_functions() where {_HERE} order by 1, 2"""

_VIEW = re.compile(r"^\s*CREATE\s+(?:OR\s+REPLACE\s+)?VIEW\s+.*?\sAS\s+(.*?);?\s*$", re.I | re.S)

_NO_DEFAULT = re.compile(r"(?:CAST\(NULL AS .*\)|NULL)$", re.S)


class CatalogReading:
    """One reading of one file."""

    def __init__(self, session: Session, choice: Choice, tick: Tick) -> None:
        self._session, self._choice, self._tick = session, choice, tick
        self._generated: dict[tuple[str, str], dict[str, str]] = {}
        self._enums: dict[tuple[str, ...], str] = {}

    def build(self, name: str) -> tuple[Model, Receipt]:
        """Read all that was chosen."""
        self._builder = CatalogBuilder(name, "duckdb", self._choice)
        self._session.begin_snapshot()
        kinds = self._choice.kinds
        steps = [
            ("tables and views", self._read_tables, True),
            ("columns", self._read_columns, True),
            ("keys and checks", self._read_constraints, True),
            ("indexes", self._read_indexes, True),
            ("types", self._read_types, "types" in kinds),
            ("sequences", self._read_sequences, "sequences" in kinds),
            ("macros", self._read_macros, "routines" in kinds),
        ]
        for number, (what, step, chosen) in enumerate(steps):
            self._tick(f"Reading {what}", number, len(steps))
            if chosen:
                step()
        schemas = [
            SchemaInfo(name=schema, comment=comment or "")
            for schema, comment in self._fetch(SCHEMAS)
            if self._choice.takes_schema(schema) and schema not in ("information_schema", "pg_catalog")
        ]
        return self._builder.finish(schemas)

    def _fetch(self, query: str) -> Iterable[tuple[Any, ...]]:
        return self._session.fetch(query, {})

    def _read_tables(self) -> None:
        for schema, name, comment, sql in self._fetch(TABLES):
            taken = self._builder.take(Table(schema=schema, name=name, comment=comment or ""))
            if taken and " GENERATED " in (sql or "").upper():
                self._generated[schema, name] = _generated_columns(sql)
        for schema, name, _comment, labels in self._fetch(ENUMS):
            self._enums.setdefault(tuple(labels or ()), f"{schema}.{name}")
        for schema, name, comment, sql in self._fetch(VIEWS):
            body = _VIEW.match(sql or "")
            self._builder.take(
                Table(
                    schema=schema,
                    name=name,
                    kind="view",
                    comment=comment or "",
                    definition_sql=body[1] if body else sql or "",
                )
            )

    def _read_columns(self) -> None:
        for (schema, table_name), rows in groupby(self._fetch(COLUMNS), key=lambda row: (row[0], row[1])):
            table = self._builder.table(schema, table_name)
            if table is None:
                continue
            columns = table.columns
            generated = self._generated.get((schema, table_name), {})
            for _, _, name, type_, nullable, default, comment in rows:
                if default and _NO_DEFAULT.match(default):
                    default = None
                column = Column(
                    name, len(columns) + 1, intern(self._enum_name(type_)), bool(nullable), default, comment or ""
                )
                if name in generated:
                    column.generated, column.default = generated[name], None
                columns.append(column)

    def _enum_name(self, type_: str) -> str:
        """Name the enum type behind a list of values: the catalog repeats the values for every column."""
        if not type_.startswith("ENUM("):
            return type_
        labels = tuple(label.replace("''", "'") for label in re.findall(r"'((?:[^']|'')*)'", type_))
        return self._enums.get(labels, type_)

    def _read_constraints(self) -> None:
        for schema, table_name, kind, name, columns, expression, ref_table, ref_columns in self._fetch(CONSTRAINTS):
            table = self._builder.table(schema, table_name)
            if table is None:
                continue
            columns = _as_called(table, columns or ())
            if kind == "PRIMARY KEY":
                table.primary_key = Key(name=name or "", columns=columns)
            elif kind == "UNIQUE":
                table.unique.append(Key(name=name or "", columns=columns))
            elif kind == "FOREIGN KEY":
                target = self._builder.table(schema, ref_table)
                table.foreign_keys.append(
                    ForeignKey(
                        name=name or "",
                        columns=columns,
                        ref_schema=schema,
                        ref_table=ref_table,
                        ref_columns=_as_called(target, ref_columns) if target else tuple(ref_columns),
                    )
                )
            else:
                table.checks.append(Check(name=name or "", expression=expression or ""))

    def _read_indexes(self) -> None:
        for schema, table_name, name, unique, comment, expressions, _sql in self._fetch(INDEXES):
            table = self._builder.table(schema, table_name)
            if table is None:
                continue
            known = {column.name.lower(): column.name for column in table.columns}
            listed = [
                part.strip() for part in re.split(r",(?![^(]*\))", (expressions or "").strip("[]")) if part.strip()
            ]
            bare = [part.strip("'\"") for part in listed]
            parts = tuple(
                IndexPart(column=known[part.lower()]) if part.lower() in known else IndexPart(expression=part)
                for part in bare
            )
            table.indexes.append(
                Index(name=name, comment=comment or "", parts=parts, unique=bool(unique), method="art")
            )

    def _read_types(self) -> None:
        for schema, name, comment, labels in self._fetch(ENUMS):
            self._builder.model.enums.append(
                Enum(schema=schema, name=name, comment=comment or "", values=tuple(labels or ()))
            )

    def _read_sequences(self) -> None:
        for schema, name, comment, start, increment, minimum, maximum, cycle in self._fetch(SEQUENCES):
            self._builder.model.sequences.append(
                Sequence(
                    schema=schema, name=name, comment=comment or "", type="bigint", start=start, increment=increment, minimum=minimum,
                    maximum=maximum, cycle=bool(cycle),
                )
            )  # fmt: skip

    def _read_macros(self) -> None:
        for schema, name, comment, parameters, definition, returns in self._fetch(MACROS):
            self._builder.model.routines.append(
                Routine(
                    schema=schema, name=name, comment=comment or "", kind="function", arguments=", ".join(parameters or ()), returns=returns or "",
                    language="SQL", definition=definition or "",
                )
            )  # fmt: skip


def _as_called(table: Table, names: Iterable[str]) -> tuple[str, ...]:
    """Return columns by the names that the table calls them: a constraint repeats the letters of its own statement."""
    called = {column.name.lower(): column.name for column in table.columns}
    return tuple(called.get(name.lower(), name) for name in names)


def _generated_columns(sql: str) -> dict[str, str]:
    """Return the expressions of generated columns, which only the table's own statement says."""
    script = Script("", DIALECT)
    cursor = Cursor(Statement(sql, DIALECT, "", 1))
    cursor.i = 2
    try:
        draft = create_table(cursor, script, set())
    except (CoreError, IndexError):
        return {}
    return {column.name: column.generated for column in draft.table.columns if column.generated} if draft else {}
