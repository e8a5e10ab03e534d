"""Sequences: made by themselves, by a serial type, or with an identity column."""

from __future__ import annotations

import re

from indexa.core.model import Column, Sequence
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.naming import made_name
from indexa.core.scripts.state import Draft, Script

_LIMITS = {"smallint": 2**15, "integer": 2**31, "bigint": 2**63}


def serial_sequence(script: Script, draft: Draft, column: Column) -> None:
    """Make the sequence that a serial type stands for, and the default that takes numbers from it."""
    table = draft.table
    found = owned_sequence(script, draft, column)
    name = found.name
    quoted = name if re.fullmatch(r"[a-z_][a-z0-9_$]*", name) else f'"{name}"'
    column.default = (
        f"nextval('{table.schema}.{quoted}'::regclass)" if table.schema else f"nextval('{quoted}'::regclass)"
    )


def identity_sequence(script: Script, draft: Draft, column: Column, cursor: Cursor, start: int) -> None:
    """Make the sequence of an identity column, with the options in the brackets that begin at start."""
    found = owned_sequence(script, draft, column)
    end, cursor.i = cursor.i, start
    if cursor.take("("):
        if cursor.take("SEQUENCE", "NAME"):
            script.sequences.change(found, name=cursor.path()[-1])
        read_options(cursor, script, found, end - 1, made=True)
    cursor.i = end


def owned_sequence(script: Script, draft: Draft, column: Column) -> Sequence:
    """Make the sequence that belongs to a column."""
    table = draft.table
    found = Sequence(
        schema=table.schema,
        name=_free_name(script, table.schema, table.name, column.name),
        type=column.type,
        start=1,
        increment=1,
        minimum=1,
        maximum=_LIMITS.get(column.type, 2**63) - 1,
        owned_by=f"{table.full_name}.{column.name}",
    )
    script.sequences.add(found)
    return found


def widen_sequence(script: Script, owner: str, type_: str) -> None:
    """Let the sequence of an identity column count in the type that the column has now; a limit of its own stays."""
    for one in script.sequences.of(owner.rpartition(".")[0]):
        if one.owned_by == owner:
            if one.maximum == _LIMITS.get(one.type, 2**63) - 1:
                one.maximum = _LIMITS.get(type_, 2**63) - 1
            one.type = type_


def _free_name(script: Script, schema: str, table: str, column: str) -> str:
    """Return the name that the server makes for a column's sequence, with a number where another has taken it."""
    name, number = made_name(table, column, "seq"), 0
    while script.sequences.find(schema, name) or script.exists(schema, name):
        number += 1
        name = made_name(table, column, f"seq{number}")
    return name


def like_sequence(script: Script, draft: Draft, column: Column, pattern: str) -> None:
    """Make the sequence of a column that is made like another one, given by its full name, with the options of that one's."""
    found = owned_sequence(script, draft, column)
    for one in script.sequences.of(pattern.rpartition(".")[0]):
        if one.owned_by == pattern and one is not found:
            for option in ("start", "increment", "minimum", "maximum", "cache", "cycle"):
                setattr(found, option, getattr(one, option))
            return


def sequence(cursor: Cursor, script: Script, *, made: bool) -> None:
    """Read what follows CREATE or ALTER SEQUENCE."""
    cursor.take("IF", "NOT", "EXISTS")
    cursor.take("IF", "EXISTS")
    schema, name = cursor.qualified()
    schema = script.schema_for(schema)
    if made:
        found = Sequence(schema=schema, name=name, type="bigint", start=1, increment=1, minimum=1, maximum=2**63 - 1)
        script.sequences.add(found)
    elif known := script.sequences.find(schema, name):
        found = known
    else:
        return
    read_options(cursor, script, found, cursor.end, made=made)
    if made and script.dialect.names_constraints == "mysql":
        found.maximum = min(found.maximum, 2**63 - 2)
        found.cache = 1000 if found.cache == 1 else found.cache


def read_options(cursor: Cursor, script: Script, found: Sequence, end: int, *, made: bool) -> None:
    """Read the options of a sequence up to a place."""
    message: dict[str, int] = {}
    while cursor.i < end and cursor.now not in ("", ";"):
        word = cursor.now
        cursor.i += 1
        if word == "AS":
            found.type = script.dialect.canonical_type(cursor.raw[cursor.i])
            found.maximum = _LIMITS.get(found.type, 2**63) - 1
            cursor.i += 1
        elif word in ("START", "INCREMENT", "MINVALUE", "MAXVALUE", "CACHE"):
            cursor.take_any(("WITH", "BY", "="))
            number = _number(cursor)
            if number is not None:
                message[word] = number
        elif word == "NO" and cursor.now in ("CYCLE", "MINVALUE", "MAXVALUE", "CACHE"):
            found.cycle = found.cycle and cursor.now != "CYCLE"
            cursor.i += 1
        elif word in ("CYCLE", "NOCYCLE"):
            found.cycle = word == "CYCLE"
        elif word == "OWNED" and cursor.take("BY"):
            path = cursor.path()
            if len(path) > 1:
                table = script.find(path[-3] if len(path) > 2 else "", path[-2])
                owner = f"{table.table.full_name}.{path[-1]}" if table else ".".join(path)
                script.sequences.change(found, owned_by=owner)
        elif word == "OWNER" and cursor.take("TO"):
            found.owner = cursor.name()
        elif word == "RENAME" and cursor.take("TO"):
            script.sequences.change(found, name=cursor.name())
        elif word == "SET" and cursor.take("SCHEMA"):
            script.sequences.change(found, schema=cursor.name())
    found.increment = message.get("INCREMENT", found.increment)
    if found.increment < 0 and made:
        found.minimum, found.maximum = -_LIMITS.get(found.type, 2**63), -1
    found.minimum = message.get("MINVALUE", found.minimum)
    found.maximum = message.get("MAXVALUE", found.maximum)
    found.cache = message.get("CACHE", found.cache)
    first = found.minimum if found.increment > 0 else found.maximum
    found.start = message.get("START", first if made else found.start)


def _number(cursor: Cursor) -> int | None:
    sign = -1 if cursor.take("-") else 1
    raw = cursor.raw[cursor.i]
    if raw.isdecimal():
        cursor.i += 1
        return sign * int(raw)
    return None
