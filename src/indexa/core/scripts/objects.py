"""What a script makes beside tables: schemas, sequences, types, domains, views, routines, triggers."""

from __future__ import annotations

import re
from typing import Any

from indexa.core.model import (
    Column,
    Composite,
    CompositeField,
    Domain,
    Enum,
    Range,
    Routine,
    Table,
    Trigger,
)
from indexa.core.scripts.columns import expression_end, type_end
from indexa.core.scripts.cursor import Cursor, unquoted_string
from indexa.core.scripts.keys import check
from indexa.core.scripts.state import Draft, Script
from indexa.core.scripts.table_options import with_options

_DYNAMIC = re.compile(
    r"\b(CREATE|ALTER|DROP)\s+(?:GLOBAL\s+|LOCAL\s+|TEMP(?:ORARY)?\s+|UNIQUE\s+)*(TABLE|INDEX|VIEW)\b[^;']{0,60}", re.I
)


def create_schema(cursor: Cursor, script: Script) -> None:
    """Read what follows CREATE SCHEMA; elements in the same statement are read by the dispatcher."""
    cursor.take("IF", "NOT", "EXISTS")
    name = "" if cursor.now == "AUTHORIZATION" else cursor.path()[-1]
    owner = ""
    if cursor.take("AUTHORIZATION"):
        owner = cursor.name()
    script.schema_made(name or owner, owner)


def create_type(cursor: Cursor, script: Script) -> None:
    """Read what follows CREATE TYPE: values, fields, a range, or an alias of another type."""
    schema, name = cursor.qualified()
    schema = script.schema_for(schema)
    model = script.model
    if cursor.now == "(":  # a row type
        model.composites.append(Composite(schema=schema, name=name, fields=_fields(cursor, script)))
    elif cursor.take("AS", "ENUM") or cursor.take("ENUM"):
        values = _values(cursor)
        model.enums.append(Enum(schema=schema, name=name, values=values))
    elif cursor.take("AS", "RANGE"):
        start = cursor.i
        text = cursor.text(start, cursor.end)
        subtype = re.search(r"subtype\s*=\s*([\w.\" ]+)", text, re.I)
        multirange = re.search(r"multirange_type_name\s*=\s*([\w.\"]+)", text, re.I)
        model.ranges.append(
            Range(
                schema=schema,
                name=name,
                subtype=script.dialect.canonical_type(subtype[1].strip()) if subtype else "",
                multirange=multirange[1].split(".")[-1].strip('"') if multirange else "",
            )
        )
    elif (cursor.now == "AS" and cursor.ahead(1) == "(") or (
        cursor.ahead(1) in ("OBJECT", "TABLE") and cursor.now in ("AS", "IS")
    ):
        cursor.i += 1
        cursor.take("OBJECT")
        if cursor.take("TABLE"):
            script.note("left out", "types", "A model does not hold collection and table types.", f"{schema}.{name}")
            return
        model.composites.append(Composite(schema=schema, name=name, fields=_fields(cursor, script)))
    elif cursor.take("FROM") or cursor.take("AS"):
        start = cursor.i
        cursor.i = type_end(cursor)
        model.domains.append(
            Domain(
                schema=schema,
                name=name,
                type=script.dialect.canonical_type(cursor.tight_text(start, cursor.i)),
                nullable=not cursor.take("NOT", "NULL"),
            )
        )
    else:
        script.note("left out", "types", "A type of the base kind, or only declared.", f"{schema}.{name}")


def _values(cursor: Cursor) -> tuple[str, ...]:
    end = cursor.after_group(cursor.i)
    backslash = cursor.dialect.backslash
    values = tuple(
        unquoted_string(cursor.raw[at], backslash=backslash)
        for at in range(cursor.i + 1, end - 1)
        if cursor.raw[at] != ","
    )
    cursor.i = end
    return values


def _fields(cursor: Cursor, script: Script) -> tuple[CompositeField, ...]:
    cursor.expect("(")
    fields = []
    while cursor.now not in (")", ""):
        if cursor.now in ("MEMBER", "STATIC", "CONSTRUCTOR", "MAP", "ORDER", "OVERRIDING"):
            cursor.skip_element()
        else:
            name = cursor.name()
            start = cursor.i
            cursor.skip_element()
            fields.append(CompositeField(name, script.dialect.canonical_type(cursor.tight_text(start, cursor.i))))
        if not cursor.take(","):
            break
    return tuple(fields)


def create_domain(cursor: Cursor, script: Script) -> None:
    """Read what follows CREATE DOMAIN."""
    schema, name = cursor.qualified()
    cursor.take("AS")
    start = cursor.i
    cursor.i = type_end(cursor)
    domain = Domain(
        schema=script.schema_for(schema),
        name=name,
        type=script.dialect.canonical_type(cursor.tight_text(start, cursor.i)),
    )
    script.model.domains.append(domain)
    constraint = ""
    while cursor.now not in ("", ";"):
        if cursor.take("CONSTRAINT"):
            constraint = cursor.name()
        elif cursor.take("NOT", "NULL"):
            domain.nullable = False
        elif cursor.take("NULL"):
            pass
        elif cursor.take("DEFAULT"):
            start = cursor.i
            cursor.i = expression_end(cursor)
            text = cursor.text(start, cursor.i)
            canonical = script.dialect.canonical_default
            domain.default = canonical(text, domain.type) if canonical else text
        elif cursor.take("CHECK"):
            domain.checks.append(check(cursor, constraint))
            constraint = ""
        elif cursor.take("COLLATE"):
            domain.collation = cursor.path()[-1]
        else:
            cursor.i += 1


def create_view(cursor: Cursor, script: Script, modifiers: set[str]) -> None:
    """Read what follows CREATE ... VIEW. Its columns are settled at the end, when all tables are known."""
    cursor.take("IF", "NOT", "EXISTS")
    start = cursor.i
    schema, name = cursor.qualified()
    materialized = bool(modifiers & {"MATERIALIZED", "SNAPSHOT"}) or "DYNAMIC" in modifiers
    table = Table(schema=script.schema_for(schema), name=name, kind="materialized view" if materialized else "view")
    if modifiers & {"TEMP", "TEMPORARY"}:
        script.note("left out", "views", "It is temporary.", table.full_name)
        return
    draft = script.add(table, f"line {cursor.statement.line_of(start)}")
    if cursor.now == "(":
        draft.declared = _declared(cursor, draft)
    while cursor.now not in ("AS", "", ";", "SELECT"):
        if cursor.take("COMMENT"):
            cursor.take("=")
            table.comment = cursor.label()
        elif cursor.now == "OPTIONS" and cursor.ahead(1) == "(":
            cursor.i += 1
            table.comment = cursor.description_in_group(table.comment)
        elif cursor.now == "WITH" and cursor.ahead(1) == "(":
            cursor.i += 1
            table.options = with_options(cursor)
        elif cursor.now == "(":
            cursor.skip_group()
        else:
            cursor.i += 1
    cursor.take("AS")
    end = cursor.end
    for words in (
        ("WITH", "NO", "DATA"),
        ("WITH", "DATA"),
        ("WITH", "READ", "ONLY"),
        ("WITH", "LOCAL", "CHECK", "OPTION"),
        ("WITH", "CASCADED", "CHECK", "OPTION"),
        ("WITH", "CHECK", "OPTION"),
        ("WITH", "NO", "SCHEMA", "BINDING"),
    ):
        tail = cursor.up[end - len(words) - (cursor.up[end - 1] == ";") : end - (cursor.up[end - 1] == ";")]
        if tuple(tail) == words:
            end -= len(words) + (cursor.up[end - 1] == ";")
            if "CHECK" in words and script.dialect.names_constraints == "postgresql":
                table.options = (*table.options, f"check_option={'local' if 'LOCAL' in words else 'cascaded'}")
            break
    table.definition_sql = cursor.text(cursor.i, end).rstrip("; \n")
    script.await_query(draft, table.definition_sql)
    cursor.i = cursor.end


def _declared(cursor: Cursor, draft: Draft) -> tuple[str, ...]:
    """Read a view's list of column names, with the comments that some dialects allow there."""
    end = cursor.after_group(cursor.i)
    cursor.i += 1
    names = []
    while cursor.i < end - 1 and cursor.is_name():
        if cursor.now == "CONSTRAINT" or (cursor.now in ("PRIMARY", "FOREIGN") and cursor.ahead(1) == "KEY"):
            cursor.skip_element()
        else:
            name = cursor.name()
            names.append(name)
            while cursor.now not in (",", ")", ""):
                if cursor.take("COMMENT") and cursor.is_string():
                    draft.columns[cursor.dialect.key(name)] = Column(name, 0, "", comment=cursor.label())
                elif cursor.now == "(":
                    cursor.skip_group()
                else:
                    cursor.i += 1
        if not cursor.take(","):
            break
    cursor.i = end
    return tuple(names)


def create_routine(cursor: Cursor, script: Script, kind: str, *, whole: str) -> None:
    """Keep a routine's text, and name what its body would create as it runs."""
    cursor.take("IF", "NOT", "EXISTS")
    line = cursor.statement.line_of(cursor.i)
    schema, name = cursor.qualified()
    schema = script.schema_for(schema)
    arguments = cursor.group_text().strip() if cursor.now == "(" else ""
    if cursor.raw[cursor.i][:1] == "@":  # parameters without brackets
        start = cursor.i
        while cursor.now not in ("AS", "WITH", "RETURNS", ""):
            cursor.i += 1
        arguments = cursor.text(start, cursor.i)
    returns = ""
    language = {"go": "T-SQL", "slash": "PL/SQL"}.get(script.dialect.bodies, "SQL")
    scan = cursor.i
    while scan < min(cursor.end, cursor.i + 60):
        word = cursor.up[scan]
        if word in ("RETURNS", "RETURN", "RETURNING") and not returns and kind != "PACKAGE":
            stop = scan + 1
            while stop < cursor.end and cursor.up[stop] not in _AFTER_RETURNS:
                stop = cursor.after_group(stop) if cursor.up[stop] == "(" else stop + 1
            returns = cursor.tight_text(scan + 1, stop)
        if word == "LANGUAGE":
            language = (
                unquoted_string(cursor.raw[scan + 1], backslash=False)
                if cursor.raw[scan + 1][:1] == "'"
                else cursor.raw[scan + 1]
            )
        scan += 1
    if "LANGUAGE" in cursor.up[scan:]:
        at = cursor.up.index("LANGUAGE", scan)
        language = cursor.raw[at + 1].strip("'")
    kinds: dict[str, Any] = {
        "PROCEDURE": "procedure",
        "PROC": "procedure",
        "AGGREGATE": "aggregate",
        "PACKAGE": "package",
        "EVENT": "event",
    }
    key = script.dialect.key
    pool = script.model.routines
    pool[:] = [
        one
        for one in pool
        if (key(one.schema), key(one.name)) != (key(schema), key(name))
        or (one.arguments != arguments and script.dialect.routines_share_names)
        or one.kind == "package"
    ]
    pool.append(
        Routine(
            schema=schema,
            name=name,
            kind=kinds.get(kind, "function"),
            arguments=arguments,
            returns=returns,
            language=language,
            definition=whole,
        )
    )
    name_dynamic(script, whole, f"{schema}.{name}, line {line}" if schema else f"{name}, line {line}")


def package_body(cursor: Cursor, script: Script) -> None:
    """Add a package's body to what the package said of itself."""
    line, wanted = cursor.statement.line, script.dialect.key(cursor.qualified()[1])
    body = cursor.statement.text
    for routine in script.model.routines:
        if routine.kind == "package" and script.dialect.key(routine.name) == wanted:
            routine.definition += "\n" + body
            break
    name_dynamic(script, body, f"line {line}")


_AFTER_RETURNS = frozenset(
    (
        "; AS LANGUAGE BEGIN IS DETERMINISTIC READS NO MODIFIES CONTAINS SQL IMMUTABLE STABLE VOLATILE RETURN "
        "COST STRICT WITH COMMENT EXTERNAL SPECIFIC PARALLEL SECURITY CALLED PIPELINED AUTHID RESULT_CACHE NOT"
    ).split()
)


def name_dynamic(script: Script, body: str, place: str) -> None:
    """Put on the receipt what a body would create when it is run."""
    for found in _DYNAMIC.finditer(body):
        what = " ".join(found[0].split())[:70]
        script.note("left out", "dynamic statements", f"A body that is not run holds: {what}", place)
        break


def create_trigger(cursor: Cursor, script: Script, *, whole: str) -> None:
    """Keep a trigger's text with its table."""
    cursor.take("IF", "NOT", "EXISTS")
    line = cursor.statement.line_of(cursor.i)
    _, name = cursor.qualified()
    table = None
    scan = cursor.i
    if cursor.take("FOR") and cursor.is_name():
        table = cursor.qualified()
    while table is None and scan < cursor.end:
        if cursor.up[scan] == "ON" and cursor.is_name(scan + 1):
            cursor.i = scan + 1
            cursor.take_any(("NESTED",)) and cursor.take("TABLE")
            if cursor.now in ("DATABASE", "ALL"):
                break
            table = cursor.qualified()
        scan += 1
    routine = ""
    for at in range(cursor.i, cursor.end):
        if cursor.up[at] == "EXECUTE" and cursor.up[at + 1] in ("FUNCTION", "PROCEDURE"):
            cursor.i = at + 2
            routine = ".".join(cursor.path())
            break
    draft = script.find(*table) if table else None
    name_dynamic(script, whole, f"{name}, line {line}")
    if draft is None:
        script.note("left out", "triggers", "Its table is not in the script.", f"{name}, line {line}")
        return
    key = script.dialect.key
    draft.table.triggers = [one for one in draft.table.triggers if key(one.name) != key(name)]
    draft.table.triggers.append(Trigger(name=name, definition=whole, routine=routine))
