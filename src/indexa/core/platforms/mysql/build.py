"""From MariaDB's and MySQL's catalog rows to a Model and its receipt."""

from __future__ import annotations

import re
from collections.abc import Iterable
from itertools import groupby
from sys import intern
from typing import Any

from indexa.core.intake.catalog import CatalogBuilder
from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Receipt
from indexa.core.model import (
    Check,
    Column,
    ForeignKey,
    Index,
    IndexPart,
    Key,
    Model,
    Partition,
    Routine,
    SchemaInfo,
    Sequence,
    Table,
    Trigger,
)  # fmt: skip
from indexa.core.platforms import Session, Tick
from indexa.core.platforms.mysql import queries
from indexa.core.platforms.mysql.dialect import canonical_type
from indexa.core.scripts.dialect import Dialect

_KINDS: dict[str, Any] = {"VIEW": "view", "SYSTEM VIEW": "view"}
_RULES: dict[str, Any] = {
    "CASCADE": "cascade", "SET NULL": "set null", "SET DEFAULT": "set default", "RESTRICT": "no action", "NO ACTION": "no action",
}  # fmt: skip
"""RESTRICT and NO ACTION are one to the platform's engines; which of them the catalog says varies by version."""
_QUOTED_TYPES = (
    "char",
    "varchar",
    "text",
    "tinytext",
    "mediumtext",
    "longtext",
    "enum",
    "set",
    "date",
    "time",
    "datetime",
    "timestamp",
)

Rows = Iterable[tuple[Any, ...]]


class CatalogReading:
    """One reading of one server."""

    def __init__(self, session: Session, choice: Choice, tick: Tick, dialect: Dialect) -> None:
        self._session, self._choice, self._tick, self._dialect = session, choice, tick, dialect
        self._parameters = {"schemas": tuple(choice.schemas) or ("",)}
        self._mariadb = False
        self._collations: dict[tuple[str, str], str] = {}

    def build(self, name: str) -> tuple[Model, Receipt]:
        """Read all that was chosen."""
        self._builder = CatalogBuilder(name, self._dialect.name, self._choice)
        version = str(next(iter(self._session.fetch(queries.SERVER, {})))[0])
        self._mariadb = "mariadb" in version.lower()
        self._session.begin_snapshot()
        kinds = self._choice.kinds
        steps = [
            ("tables and views", self._read_tables, True),
            ("columns", self._read_columns, True),
            ("keys and indexes", self._read_indexes, True),
            ("foreign keys", self._read_foreign_keys, True),
            ("checks", self._read_checks, True),
            ("partitions", self._read_partitions, "tables" in kinds),
            ("triggers", self._read_triggers, "triggers" in kinds),
            ("routines and events", self._read_routines, "routines" in kinds),
        ]
        for number, (what, step, chosen) in enumerate(steps):
            self._tick(f"Reading {what}", number, len(steps))
            if chosen:
                step()
        schemas = [SchemaInfo(name=schema) for schema in self._choice.schemas]
        return self._builder.finish(schemas)

    def _fetch(self, query: str) -> Rows:
        return self._session.fetch(query, self._parameters)

    def _read_tables(self) -> None:
        bodies = (
            {(schema, name): body for schema, name, body in self._fetch(queries.VIEWS)}
            if "views" in self._choice.kinds
            else {}
        )
        hidden = 0
        sequences = []
        for schema, name, type_, engine, collation, create_options, comment in self._fetch(queries.TABLES):
            if type_ == "SEQUENCE":
                sequences.append((schema, name))
                continue
            partitioned = "partitioned" in (create_options or "")
            kind: Any = _KINDS.get(type_, "partitioned table" if partitioned else "table")
            table = Table(schema=schema, name=name, kind=kind)
            if kind == "view":
                table.definition_sql = bodies.get((schema, name)) or ""
                hidden += not table.definition_sql
            else:
                table.comment = comment or ""
                row_format = re.search(r"row_format=(\w+)", create_options or "", re.I)
                table.options = (f"ENGINE={engine}",) if engine else ()
                if row_format:
                    table.options = (*table.options, f"ROW_FORMAT={row_format[1].upper()}")
            if self._builder.take(table):
                self._collations[schema, name] = collation or ""
        if hidden and "views" in self._choice.kinds:
            self._builder.note(
                "left out", "view definitions", "The login may not see them (SHOW VIEW is needed).", hidden
            )
        if "sequences" in self._choice.kinds:
            for schema, name in sequences:
                self._read_sequence(schema, name)

    def _read_sequence(self, schema: str, name: str) -> None:
        quoted = ".".join("`" + part.replace("`", "``").replace("%", "%%") + "`" for part in (schema, name))
        for start, increment, minimum, maximum, cache, cycle in self._session.fetch(
            queries.SEQUENCE.format(name=quoted), {}
        ):
            self._builder.model.sequences.append(
                Sequence(
                    schema=schema, name=name, type="bigint", start=start, increment=increment, minimum=minimum, maximum=maximum, cache=cache,
                    cycle=bool(cycle),
                )
            )  # fmt: skip

    def _read_columns(self) -> None:
        builder, mariadb = self._builder, self._mariadb
        types: dict[str, str] = {}
        for (schema, table_name), rows in groupby(self._fetch(queries.COLUMNS), key=lambda row: (row[0], row[1])):
            table = builder.table(schema, table_name)
            if table is None:
                continue
            usual = self._collations[schema, table_name]
            columns = table.columns
            for _, _, name, type_, nullable, default, extra, expression, collation, comment in rows:
                worded = types.get(type_)
                if worded is None:
                    worded = types[type_] = intern(canonical_type(type_))
                column = Column(name, len(columns) + 1, worded, bool(nullable), None, comment or "")
                if default is not None and default != "NULL":
                    column.default = default if mariadb or "DEFAULT_GENERATED" in extra else _quoted(default, worded)
                if extra:
                    _take_extra(column, extra, expression)
                if collation and collation != usual:
                    column.collation = collation
                columns.append(column)

    def _read_indexes(self) -> None:
        expression = "null" if self._mariadb else "expression"
        rows = self._fetch(queries.INDEXES.format(expression=expression))
        for (schema, table_name, name), parts in groupby(rows, key=lambda row: (row[0], row[1], row[2])):
            table = self._builder.table(schema, table_name)
            if table is None:
                continue
            listed = list(parts)
            _, _, _, non_unique, _, _, _, method, comment, _ = listed[0]
            bare = all(row[4] and not row[5] for row in listed)
            if name == "PRIMARY":
                table.primary_key = Key(name=name, columns=tuple(row[4] for row in listed))
            elif not non_unique and bare:
                table.unique.append(Key(name=name, columns=tuple(row[4] for row in listed), comment=comment or ""))
            else:
                table.indexes.append(
                    Index(
                        name=name,
                        comment=comment or "",
                        parts=tuple(
                            IndexPart(
                                row[4] or "",
                                row[9] or "",
                                descending=row[6] == "D",
                                length=0 if method == "SPATIAL" else row[5] or 0,
                            )
                            for row in listed
                        ),
                        unique=not non_unique,
                        method=intern({"RTREE": "spatial"}.get(method, method.lower())),
                    )
                )

    def _read_foreign_keys(self) -> None:
        for (schema, table_name, name), rows in groupby(
            self._fetch(queries.FOREIGN_KEYS), key=lambda row: (row[0], row[1], row[2])
        ):
            table = self._builder.table(schema, table_name)
            if table is None:
                continue
            listed = list(rows)
            first = listed[0]
            table.foreign_keys.append(
                ForeignKey(
                    name=name,
                    columns=tuple(row[3] for row in listed),
                    ref_schema=intern(first[4]),
                    ref_table=first[5],
                    ref_columns=tuple(row[6] for row in listed),
                    on_delete=_RULES[first[7]],
                    on_update=_RULES[first[8]],
                )
            )

    def _read_checks(self) -> None:
        for schema, table_name, name, clause in self._fetch(
            queries.CHECKS_MARIADB if self._mariadb else queries.CHECKS_MYSQL
        ):
            if (table := self._builder.table(schema, table_name)) and not (self._mariadb and _says_json(table, clause)):
                table.checks.append(Check(name=name, expression=clause))

    def _read_partitions(self) -> None:
        for schema, table_name, name, method, expression, description in self._fetch(queries.PARTITIONS):
            table = self._builder.table(schema, table_name)
            if table is None or any(one.name == name for one in table.partitions):
                continue
            rule = f"{method} ({(expression or '').replace('`', '')})"
            table.partition_by = rule
            bound = ""
            if description is not None:
                bound = (
                    f"VALUES IN ({description})"
                    if method.startswith("LIST")
                    else f"VALUES LESS THAN {_limit(description)}"
                )
            table.partitions.append(Partition(schema, name, bound))

    def _read_triggers(self) -> None:
        for schema, table_name, name, timing, event, statement in self._fetch(queries.TRIGGERS):
            if table := self._builder.table(schema, table_name):
                definition = f"CREATE TRIGGER `{name}` {timing} {event} ON `{table_name}` FOR EACH ROW {statement}"
                table.triggers.append(Trigger(name=name, definition=definition))

    def _read_routines(self) -> None:
        hidden = 0
        routines = self._builder.model.routines
        for schema, name, type_, returns, definition, comment, arguments in self._fetch(queries.ROUTINES):
            hidden += definition is None
            kind: Any = "procedure" if type_ == "PROCEDURE" else "function"
            routines.append(
                Routine(
                    schema=schema, name=name, comment=comment or "", kind=kind, arguments=arguments or "", returns=returns or "", language="SQL",
                    definition=definition or "",
                )
            )  # fmt: skip
        for schema, name, definition, comment in self._fetch(queries.EVENTS):
            routines.append(
                Routine(
                    schema=schema, name=name, comment=comment or "", kind="event", arguments="", returns="", language="SQL",
                    definition=definition or "",
                )
            )  # fmt: skip
        if hidden:
            self._builder.note("left out", "routine bodies", "The login may not see them.", hidden)


def _quoted(default: str, type_: str) -> str:
    base = re.split(r"[(\s]", type_, maxsplit=1)[0]
    return "'" + default.replace("'", "''") + "'" if base in _QUOTED_TYPES else default


def _limit(description: str) -> str:
    return description if description == "MAXVALUE" else f"({description})"


def _says_json(table: Table, clause: str) -> bool:
    """Say whether a check makes its column JSON, as MariaDB keeps it: a long text with a check; the column is told as what it was made of."""
    for column in table.columns if clause.startswith("json_valid(") else ():
        if (
            clause == f"json_valid(`{column.name}`)"
            and column.type == "longtext"
            and column.collation in ("", "utf8mb4_bin")
        ):
            column.type, column.collation = "json", ""
            return True
    return False


def _take_extra(column: Column, extra: str, expression: str | None) -> None:
    lowered = extra.lower()
    if "auto_increment" in lowered:
        column.identity = "by default"
    if "generated" in lowered and "default_generated" not in lowered and expression:
        column.generated = expression
        column.default = None
    if found := re.search(r"on update (\S+)", lowered):
        clock = found[1] if "(" in found[1] else f"{found[1]}()"
        column.default = f"{column.default or 'NULL'} on update {clock}"
