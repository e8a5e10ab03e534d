"""CREATE TABLE in every form: columns, constraints between them, what follows the closing bracket."""

from __future__ import annotations

from typing import Any

from indexa.core.model import Column, Key, Table
from indexa.core.scripts.constraints import counts_rows
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.remarks import remark_columns
from indexa.core.scripts.state import Draft, Script
from indexa.core.scripts.table_body import ALL_COPIED, copy_columns, read_columns
from indexa.core.scripts.table_options import STORAGE, after_body, placing

_BEGIN_QUERY = frozenset({"SELECT", "WITH", "VALUES", "TABLE", "FROM", "EXECUTE", "NODE", "EDGE"})


def create_table(cursor: Cursor, script: Script, modifiers: set[str]) -> Draft | None:
    """Read what follows CREATE ... TABLE. Returns the table, or None where one is there already."""
    cursor.take("IF", "NOT", "EXISTS")
    start = cursor.i
    schema, name = _name(cursor)
    schema = script.schema_for(schema)
    cursor.take("IF", "NOT", "EXISTS")
    if "REPLACE" not in modifiers and script.exists(schema, name):  # as the server has it: the first one stays
        script.note(
            "left out",
            "tables",
            "It was there already when the script made it again.",
            f"{name}, {_place(cursor, start)}",
        )
        return None
    kind: Any = "foreign table" if "FOREIGN" in modifiers else "table"
    table = Table(schema=schema, name=name, kind=kind, unlogged="UNLOGGED" in modifiers)
    draft = script.add(table, f"{table.full_name}, {_place(cursor, start)}")
    draft.temporary = bool(modifiers & {"TEMP", "TEMPORARY", "VOLATILE"}) or name.startswith("#")
    if "VIRTUAL" in modifiers:
        _virtual(cursor, draft)
        return draft
    _take_table_words(cursor)
    _take_options(cursor, script)
    options: list[str] = []
    if cursor.now == "CLUSTER":
        placing(cursor, options)
        table.options = tuple(options)
    if cursor.take("PARTITION", "OF"):
        draft.partition_of = cursor.qualified()
        draft.query = "partition"
    elif cursor.take("OF"):
        _of_type(cursor, script, draft)
    elif cursor.take("CLONE"):
        copy_columns(cursor, script, draft, ALL_COPIED)
    elif cursor.take("LIKE"):
        copy_columns(cursor, script, draft, {"defaults", "identity", "generated", "comments"})
    elif cursor.now == "AS" and cursor.is_name(cursor.i + 1) and cursor.ahead(1) not in _BEGIN_QUERY:
        cursor.i += 1
        copy_columns(cursor, script, draft, {"defaults", "identity"})
    try:
        if cursor.now == "(":
            read_columns(cursor, script, draft)
    finally:
        if draft.columns and cursor.statement.has_comments():
            remark_columns(cursor.statement, draft)
    after_body(cursor, script, draft)
    if script.dialect.merges_twin_keys:
        _without_twins(draft, script)
    if script.dialect.names_constraints == "postgresql":
        for name in draft.table.primary_key.columns if draft.table.primary_key else ():
            if column := script.column(draft, name):
                column.nullable = False  # one that is inherited as well
        script.name_parts(draft)  # by the names that columns have now
        script.own_keys(draft)
    return draft


def _without_twins(draft: Draft, script: Script) -> None:
    """Leave a unique key that a statement declares twice only once, under the name that one of them has; where names are not made up,
    under that of the first."""

    def meaning(key: Key) -> tuple[object, ...]:
        return key.columns, key.deferrable, key.initially_deferred, key.nulls_distinct

    named = bool(script.dialect.names_constraints)
    kept: dict[tuple[object, ...], Key] = {}
    for key in draft.table.unique:
        first = kept.setdefault(meaning(key), key)
        if first is not key:
            first.name = first.name or (key.name if named else "")
    primary = draft.table.primary_key
    if primary and not counts_rows(draft, primary, script) and (twin := kept.pop(meaning(primary), None)):
        primary.name = primary.name or (twin.name if named else "")
    draft.table.unique = list(kept.values())


def _name(cursor: Cursor) -> tuple[str, str]:
    if cursor.now == "IDENTIFIER" and cursor.ahead(1) == "(" and cursor.ahead(3) == ")":
        cursor.i += 2
        path = cursor.string().split(".") if cursor.is_string() else cursor.path()
        cursor.i += 1
        return (path[-2] if len(path) > 1 else ""), path[-1]
    return cursor.qualified()


def _place(cursor: Cursor, at: int) -> str:
    file = f"{cursor.statement.file}, " if cursor.statement.file else ""
    return f"{file}line {cursor.statement.line_of(at)}"


def _take_table_words(cursor: Cursor) -> None:
    while cursor.now == "," or (cursor.now in ("FALLBACK", "NO", "SHARING", "DUPLICATE") and cursor.now != "("):
        # Words of a parallel platform between the name and the columns.
        before = cursor.i
        while cursor.now not in ("(", "AS", ""):
            cursor.i += 1
        if cursor.i == before:
            return
    if cursor.take("ON", "COMMIT") or cursor.take("USING"):
        cursor.i += 1


def _take_options(cursor: Cursor, script: Script) -> None:
    """Pass over options that stand before the columns."""
    start = cursor.i
    while cursor.ahead(1) == "=":
        cursor.i += 3
    if cursor.i > start:
        script.note("left out", "storage clauses", STORAGE)


def _of_type(cursor: Cursor, script: Script, draft: Draft) -> None:
    schema, name = cursor.qualified()
    key = script.dialect.key
    for composite in script.model.composites:
        if key(composite.name) == key(name) and (not schema or key(composite.schema) == key(schema)):
            for field in composite.fields:
                column = Column(field.name, 0, field.type, comment=field.comment)
                draft.add(column, key(field.name))
            return
    script.note(
        "adapted", "tables", f"Its columns are those of the type {name}, which the script does not make.", draft.place
    )


def _virtual(cursor: Cursor, draft: Draft) -> None:
    cursor.expect("USING")
    start = cursor.i
    module = cursor.name()
    draft.table.options = (f"USING {cursor.text(start, cursor.end).rstrip(';').strip()}",)
    if cursor.now != "(":
        return
    end = cursor.after_group(cursor.i)
    cursor.i += 1
    typed = module.lower() in ("rtree", "rtree_i32", "geopoly")
    while cursor.i < end - 1:
        if cursor.ahead(1) != "=" and cursor.is_name():
            name = cursor.name()
            draft.add(Column(name, 0, "REAL" if typed and draft.columns else ("INT" if typed else "")), name.lower())
        cursor.skip_element()
        if not cursor.take(","):
            break
    cursor.i = end
