"""ALTER of what stands beside tables: types, domains, routines, triggers."""

from __future__ import annotations

from typing import Any

from indexa.core.model import Composite, CompositeField, Domain, Enum
from indexa.core.scripts.columns import type_end
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.drops import routines_named
from indexa.core.scripts.keys import check
from indexa.core.scripts.naming import name_checks
from indexa.core.scripts.state import Script


def alter_named(cursor: Cursor, script: Script, kind: str) -> None:
    """Read what follows ALTER TYPE or ALTER DOMAIN: values, fields, conditions, a new name."""
    schema, name = cursor.qualified()
    key = script.dialect.key
    model = script.model
    pools: list[Any] = [model.domains] if kind == "DOMAIN" else [model.enums, model.composites, model.ranges]
    found = next(
        (
            one
            for pool in pools
            for one in pool
            if key(one.name) == key(name) and (not schema or key(one.schema) == key(schema))
        ),
        None,
    )
    if found is None:
        return
    if isinstance(found, Domain) and script.dialect.names_constraints == "postgresql":
        name_checks(found)  # the names that it has before it is called otherwise
    if cursor.take("RENAME", "TO"):
        _rename_type(script, found, found.schema, cursor.name())
    elif cursor.take("SET", "SCHEMA"):
        _rename_type(script, found, cursor.name(), found.name)
    elif isinstance(found, Enum):
        _alter_enum(cursor, found)
    elif isinstance(found, Composite):
        _alter_composite(cursor, script, found)
    elif isinstance(found, Domain):
        _alter_domain(cursor, script, found)


def _rename_type(script: Script, found: Any, schema: str, name: str) -> None:
    """Give a type another name or schema; columns of it follow."""
    key = script.dialect.key
    former = {key(found.name), key(f"{found.schema}.{found.name}")}
    found.schema, found.name = schema, name
    for draft in script.drafts.values():
        for column in draft.table.columns:
            base, array = (column.type[:-2], "[]") if column.type.endswith("[]") else (column.type, "")
            if key(base) in former:
                column.type = f"{schema}.{name}{array}" if schema else name + array


def _alter_enum(cursor: Cursor, found: Enum) -> None:
    if cursor.take("ADD", "VALUE"):
        cursor.take("IF", "NOT", "EXISTS")
        value = cursor.string()
        values = [one for one in found.values if one != value]
        place = len(values)
        if cursor.now in ("BEFORE", "AFTER"):
            after = cursor.now == "AFTER"
            cursor.i += 1
            context_words = cursor.string()
            place = values.index(context_words) + after if context_words in values else place
        found.values = (*values[:place], value, *values[place:])
    elif cursor.take("RENAME", "VALUE"):
        old = cursor.string()
        cursor.expect("TO")
        new = cursor.string()
        found.values = tuple(new if one == old else one for one in found.values)


def _alter_composite(cursor: Cursor, script: Script, found: Composite) -> None:
    key = script.dialect.key
    while cursor.take_any(("ADD", "DROP", "ALTER", "RENAME")):
        action = cursor.up[cursor.i - 1]
        cursor.take("ATTRIBUTE")
        cursor.take("IF", "EXISTS")
        name = cursor.name()
        if action == "RENAME":
            cursor.expect("TO")
            new = cursor.name()
            for field in found.fields:
                if key(field.name) == key(name):
                    field.name = new
        elif action == "DROP":
            found.fields = tuple(field for field in found.fields if key(field.name) != key(name))
        else:
            cursor.take("SET", "DATA")
            cursor.take("TYPE")
            start = cursor.i
            cursor.i = type_end(cursor)
            type_ = script.dialect.canonical_type(cursor.tight_text(start, cursor.i))
            if action == "ADD":
                found.fields = (*found.fields, CompositeField(name, type_))
            for field in found.fields:
                if key(field.name) == key(name):
                    field.type = type_
        while cursor.now not in (",", "", ";"):
            cursor.i += 1
        cursor.take(",")


def _alter_domain(cursor: Cursor, script: Script, found: Domain) -> None:
    key = script.dialect.key
    constraint = ""
    if cursor.take("ADD"):
        if cursor.take("CONSTRAINT"):
            constraint = cursor.name()
        if cursor.take("CHECK"):
            found.checks.append(check(cursor, constraint))
    elif cursor.take("DROP", "CONSTRAINT"):
        cursor.take("IF", "EXISTS")
        gone = key(cursor.name())
        found.checks = [one for one in found.checks if key(one.name) != gone]
    elif cursor.take("RENAME", "CONSTRAINT"):
        old = key(cursor.name())
        cursor.expect("TO")
        new = cursor.name()
        for one in found.checks:
            if key(one.name) == old:
                one.name = new
    elif cursor.take("SET", "NOT", "NULL"):
        found.nullable = False
    elif cursor.take("DROP", "NOT", "NULL"):
        found.nullable = True
    elif cursor.take("DROP", "DEFAULT"):
        found.default = None


def alter_routine(cursor: Cursor, script: Script) -> None:
    """Read what follows ALTER FUNCTION and the like: a new name, another schema."""
    named = routines_named(cursor, script)
    if cursor.take("RENAME", "TO"):
        new = cursor.name()
        for one in named:
            one.name = new
    elif cursor.take("SET", "SCHEMA"):
        schema = cursor.name()
        for one in named:
            one.schema = schema


def alter_trigger(cursor: Cursor, script: Script) -> None:
    """Read what follows ALTER TRIGGER: a new name."""
    key = script.dialect.key
    wanted = key(cursor.path()[-1])
    table = script.find(*cursor.qualified()) if cursor.take("ON") else None
    if cursor.take("RENAME", "TO"):
        new = cursor.name()
        for draft in [table] if table else script.drafts.values():
            for trigger in draft.table.triggers:
                if key(trigger.name) == wanted:
                    trigger.name = new
