"""From a SQLite file's own catalog to a Model.

Columns, keys, references and indexes come from the pragma functions, which say what the engine itself understood.
The engine keeps the CREATE statements as well: names of constraints, checks, expressions, collations and the comments
beside columns are read from there, and only for tables whose statement shows any.
"""

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
from indexa.core.model import Column, ForeignKey, Index, IndexPart, Key, Model, Table, Trigger
from indexa.core.platforms import RefusedError, Session, Tick
from indexa.core.platforms.sqlite.dialect import DIALECT
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.state import Draft, Script
from indexa.core.scripts.tables import create_table
from indexa.core.scripts.tokens import Statement

SCHEMA = "main"

COUNTS = """
select case type when 'table' then 'tables' when 'view' then 'views' when 'trigger' then 'triggers' end, count(*)
from sqlite_schema where type in ('table', 'view', 'trigger') and name not like 'sqlite\\_%' escape '\\' group by 1"""

TABLE_NAMES = """
select name, type = 'view' from pragma_table_list where schema = 'main' and type <> 'shadow' and name not like 'sqlite\\_%' escape '\\' order by name"""

TABLES = """
select l.name, l.type, l.wr, l.strict, s.sql from pragma_table_list l join sqlite_schema s on s.name = l.name and s.type in ('table', 'view')
where l.schema = 'main' and l.name not like 'sqlite\\_%' escape '\\' order by s.rowid"""

COLUMNS = """
select s.name, x.name, x.type, x."notnull", x.dflt_value, x.pk, x.hidden from sqlite_schema s, pragma_table_xinfo(s.name) x
where s.type in ('table', 'view') and s.name not like 'sqlite\\_%' escape '\\' {only} order by s.rowid, x.cid"""

FOREIGN_KEYS = """
select s.name, f.id, f."table", f."from", f."to", f.on_update, f.on_delete from sqlite_schema s, pragma_foreign_key_list(s.name) f
where s.type = 'table' {only} order by s.rowid, f.id desc, f.seq"""

INDEXES = """
select s.name, i.name, i."unique", i.origin, i.partial, x.cid, x.name, x."desc", x.coll, d.sql
from sqlite_schema s, pragma_index_list(s.name) i, pragma_index_xinfo(i.name) x
left join sqlite_schema d on d.type = 'index' and d.name = i.name
where s.type = 'table' and x.key {only} order by s.rowid, i.seq desc, x.seqno"""

TRIGGERS = "select tbl_name, name, sql from sqlite_schema where type = 'trigger' order by tbl_name, name"

_WORTH_PARSING = re.compile(r"--|/\*|\b(?:CHECK|CONSTRAINT|COLLATE|GENERATED|AUTOINCREMENT|DEFERRABLE|AS)\b", re.I)
_ACTIONS: dict[str, Any] = {
    "CASCADE": "cascade", "SET NULL": "set null", "SET DEFAULT": "set default", "RESTRICT": "restrict", "NO ACTION": "no action",
}  # fmt: skip
_WHERE = re.compile(r"\)\s*WHERE\s+(.*?);?\s*$", re.I | re.S)


class CatalogReading:
    """One reading of one file."""

    def __init__(self, session: Session, choice: Choice, tick: Tick) -> None:
        self._session, self._choice, self._tick = session, choice, tick
        self._parsed: dict[str, Draft] = {}
        self._statements: dict[str, str] = {}
        self._refused: dict[str, str] = {}

    def build(self, name: str) -> tuple[Model, Receipt]:
        """Read all that was chosen."""
        self._builder = CatalogBuilder(name, "sqlite", self._choice)
        self._session.begin_snapshot()
        steps = [
            ("tables and views", self._read_tables),
            ("columns", self._read_columns),
            ("foreign keys", self._read_foreign_keys),
            ("indexes", self._read_indexes),
            ("triggers", self._read_triggers),
        ]
        for number, (what, step) in enumerate(steps):
            self._tick(f"Reading {what}", number, len(steps))
            step()
        for refused, why in self._refused.items():
            message = f"SQLite can't tell them without the application they belong to: {why}."
            self._builder.note("left out", "columns", message, place=f"{SCHEMA}.{refused}")
        return self._builder.finish()

    def _fetch(self, query: str) -> Iterable[tuple[Any, ...]]:
        return self._session.fetch(query, {})

    def _of_all(self, query: str) -> Iterable[tuple[Any, ...]]:
        """Run a query over all tables and views; where one of them refuses, over each by itself.

        A view may call functions, and a virtual table a module, that only the application knows.
        """
        try:
            return self._fetch(query.format(only=""))
        except RefusedError:
            rows: list[tuple[Any, ...]] = []
            for name in [table.name for table in self._builder.tables()]:
                try:
                    rows += self._session.fetch(query.format(only="and s.name = :name"), {"name": name})
                except RefusedError as error:
                    self._refused.setdefault(name, str(error))
            return rows

    def _read_tables(self) -> None:
        shadows = 0
        for name, kind, without_rowid, strict, sql in self._fetch(TABLES):
            if kind == "shadow":
                shadows += 1
                continue
            table = Table(schema=SCHEMA, name=name, kind="view" if kind == "view" else "table")
            if kind == "view":
                table.definition_sql = _view_body(sql or "")
            elif kind == "virtual":
                table.options = (_virtual_module(sql or ""),)
            else:
                table.options = ("WITHOUT ROWID",) * bool(without_rowid) + ("STRICT",) * bool(strict)
            if self._builder.take(table) and kind == "table" and sql and _WORTH_PARSING.search(sql):
                self._statements[name] = sql
        if shadows:
            self._builder.note("left out", "shadow tables", "A virtual table keeps its data in them.", shadows)

    def _read_columns(self) -> None:
        keyed: list[tuple[int, str]]
        for table_name, rows in groupby(self._of_all(COLUMNS), key=lambda row: row[0]):
            table = self._builder.table(SCHEMA, table_name)
            if table is None:
                continue
            columns, keyed = table.columns, []
            generated = False
            for _, name, type_, mandatory, default, pk, hidden in rows:
                if hidden == 1:
                    continue
                if default is not None and default.upper() == "NULL":
                    default = None
                columns.append(Column(name, len(columns) + 1, intern(_spaced(type_)), not mandatory, default))
                if hidden:
                    generated = True
                    columns[-1].generated = ""
                if pk:
                    keyed.append((pk, name))
            if keyed:
                table.primary_key = Key(name="", columns=tuple(name for _, name in sorted(keyed)))
            sql = self._statements.get(table_name)
            if sql and (generated or _WORTH_PARSING.search(sql)):
                self._take_from_statement(table, sql)

    def _take_from_statement(self, table: Table, sql: str) -> None:
        """Take what only the statement says: names, checks, expressions, collations, comments."""
        script = Script("", DIALECT)
        cursor = Cursor(Statement(sql, DIALECT, "", 1))
        cursor.i = 2 if cursor.up[1] == "TABLE" else 3
        try:
            draft = create_table(cursor, script, set())
        except (CoreError, IndexError):
            draft = None
        if draft is None:
            self._builder.note(
                "adapted",
                "tables",
                "Its statement could not be read: checks and expressions are missing.",
                1,
                table.full_name,
            )
            return
        self._parsed[table.name] = draft
        for column in table.columns:
            message = draft.columns.get(column.name.lower())
            if message is None:
                continue
            column.collation, column.identity, column.remark = message.collation, message.identity, message.remark
            if column.generated is not None or message.generated:
                column.generated, column.default = message.generated or "", None
        table.checks = draft.table.checks
        if table.primary_key and draft.table.primary_key:
            table.primary_key.name = draft.table.primary_key.name

    def _read_foreign_keys(self) -> None:
        for (table_name, _), rows in groupby(self._of_all(FOREIGN_KEYS), key=lambda row: (row[0], row[1])):
            table = self._builder.table(SCHEMA, table_name)
            if table is None:
                continue
            listed = list(rows)
            _, _, ref_table, _, _, on_update, on_delete = listed[0]
            target = self._builder.table(SCHEMA, ref_table) or self._other_case(ref_table)
            columns = tuple(row[3] for row in listed)
            message = self._declared(table, columns, ref_table)
            table.foreign_keys.append(
                ForeignKey(
                    name=message.name if message else "",
                    columns=_as_in(table, columns),
                    ref_schema=SCHEMA,
                    ref_table=target.name if target else ref_table,
                    ref_columns=_as_in(target, tuple(row[4] for row in listed))
                    if all(row[4] for row in listed)
                    else (),
                    on_delete=_ACTIONS[on_delete],
                    on_update=_ACTIONS[on_update],
                    deferrable=message is not None and message.deferrable,
                    initially_deferred=message is not None and message.initially_deferred,
                )
            )

    def _other_case(self, name: str) -> Table | None:
        return next((table for table in self._builder.tables() if table.name.lower() == name.lower()), None)

    def _declared(self, table: Table, columns: tuple[str, ...], ref_table: str) -> ForeignKey | None:
        """Return what the table's statement says of a foreign key, which the catalog tells only in part."""
        draft = self._parsed.get(table.name)
        wanted = [name.lower() for name in columns]
        named = draft.table.foreign_keys if draft else []
        return next(
            (
                one
                for one in named
                if [name.lower() for name in one.columns] == wanted and one.ref_table.lower() == ref_table.lower()
            ),
            None,
        )

    def _read_indexes(self) -> None:
        for (table_name, name), rows in groupby(self._of_all(INDEXES), key=lambda row: (row[0], row[1])):
            table = self._builder.table(SCHEMA, table_name)
            listed = list(rows)
            _, _, unique, origin, partial, *_, sql = listed[0]
            if table is None or origin == "pk":
                continue
            if origin == "u":
                columns = tuple(row[6] for row in listed)
                table.unique.append(Key(name=self._unique_name(table, columns), columns=columns))
                continue
            expressions = _expressions(sql) if any(row[6] is None for row in listed) else {}
            where = _WHERE.search(sql or "") if partial else None
            parts = tuple(
                IndexPart(
                    row[6] or "",
                    "" if row[6] else expressions.get(place, ""),
                    collation="" if row[8] == "BINARY" or self._has_collation(table, row[6], row[8]) else row[8],
                    descending=bool(row[7]),
                )
                for place, row in enumerate(listed)
            )
            table.indexes.append(
                Index(name=name, parts=parts, unique=bool(unique), predicate=where[1] if where else None)
            )

    @staticmethod
    def _has_collation(table: Table, name: str | None, collation: str) -> bool:
        return any(column.name == name and column.collation.upper() == collation.upper() for column in table.columns)

    def _unique_name(self, table: Table, columns: tuple[str, ...]) -> str:
        draft = self._parsed.get(table.name)
        wanted = [name.lower() for name in columns]
        return (
            next((one.name for one in draft.table.unique if [name.lower() for name in one.columns] == wanted), "")
            if draft
            else ""
        )

    def _read_triggers(self) -> None:
        if "triggers" not in self._choice.kinds:
            return
        # A trigger names its table in the letters of its own statement.
        by_letters = {table.name.lower(): table for table in self._builder.tables()}
        for table_name, name, sql in self._fetch(TRIGGERS):
            table = self._builder.table(SCHEMA, table_name) or by_letters.get(table_name.lower())
            if table is not None:
                table.triggers.append(Trigger(name=name, definition=sql or ""))


def _spaced(type_: str) -> str:
    """Word a type with one space between words and none in its brackets."""
    return re.sub(r"\s*([(),])\s*", r"\1", " ".join(type_.split())) if "(" in type_ or "  " in type_ else type_


def _as_in(table: Table | None, names: tuple[str, ...]) -> tuple[str, ...]:
    """Return the names as the table's columns are written: a reference may use another case."""
    if table is None:
        return names
    written = {column.name.lower(): column.name for column in table.columns}
    return tuple(written.get(name.lower(), name) for name in names)


def _view_body(sql: str) -> str:
    cursor = Cursor(Statement(sql, DIALECT, "", 1))
    for at, word in enumerate(cursor.up):
        if word == "AS":
            return cursor.text(at + 1, cursor.end).rstrip("; \n")
    return sql


def _virtual_module(sql: str) -> str:
    cursor = Cursor(Statement(sql, DIALECT, "", 1))
    at = cursor.up.index("USING") + 1 if "USING" in cursor.up else 0
    return f"USING {cursor.text(at, cursor.end)}".rstrip("; \n")


def _expressions(sql: str | None) -> dict[int, str]:
    """Return the text of each key of an index by its place."""
    from indexa.core.scripts.indexes import index_parts

    cursor = Cursor(Statement(sql or "", DIALECT, "", 1))
    try:
        cursor.i = cursor.up.index("ON") + 1
        cursor.qualified()
        parts = index_parts(cursor, Script("", DIALECT), None)
    except (CoreError, ValueError, IndexError):
        return {}
    return {place: part.expression for place, part in enumerate(parts)}
