"""DROP: tables, views, indexes, types, sequences, routines, triggers, and schemas with all that is in them."""

from __future__ import annotations

from typing import Any, Protocol

from indexa.core.model import Routine
from indexa.core.scripts.cursor import Cursor
from indexa.core.scripts.state import Script


class _Named(Protocol):
    schema: str
    name: str


def drop(cursor: Cursor, script: Script) -> None:
    """Read what follows DROP."""
    while cursor.now in ("FOREIGN", "EXTERNAL", "MATERIALIZED", "TEMPORARY", "PUBLIC", "TEMP"):
        cursor.i += 1
    kind = cursor.now
    cursor.i += 1
    if kind == "INDEX":
        _drop_indexes(cursor, script)
        return
    cursor.take("IF", "EXISTS")
    one = {"TABLE": _drop_table, "VIEW": _drop_table, "SCHEMA": _drop_schema, "TRIGGER": _drop_trigger}.get(kind)
    while cursor.is_name():
        if one is not None:
            one(cursor, script)
        elif kind in ("FUNCTION", "PROCEDURE", "PROC", "PACKAGE", "ROUTINE", "AGGREGATE"):
            _drop_routine(cursor, script)
        elif kind in ("TYPE", "DOMAIN", "SEQUENCE", "GENERATOR"):
            _drop_type_or_sequence(cursor, script, kind)
        else:
            return
        if not cursor.take(","):
            return


def _drop_table(cursor: Cursor, script: Script) -> None:
    draft = script.find(*cursor.qualified())
    if draft:
        made = "views" if draft.table.kind in ("view", "materialized view") else "tables"
        if not draft.temporary:
            script.dropped[draft.table.schema, draft.table.name] = made
        own = (draft.table.schema, draft.table.name)
        parts = [one for one in script.drafts.values() if one.partition_of == own] if draft.table.partition_by else []
        descendants = script.descendants(draft)
        script.drop(draft)
        if script.dialect.names_constraints == "postgresql":
            along = [*parts, *(descendants if "CASCADE" in cursor.up else [])]
            for one in along:
                if one.number in script.drafts:
                    script.drop(one)
            for one in [draft, *along] if "CASCADE" in cursor.up else []:
                script.drop_views_of(one)


def undrop(cursor: Cursor, script: Script) -> None:
    """Read what follows UNDROP: the table that was dropped last under a name is there again."""
    if cursor.take("TABLE"):
        script.restore(*cursor.qualified())


def _drop_indexes(cursor: Cursor, script: Script) -> None:
    cursor.take("CONCURRENTLY")
    cursor.take("IF", "EXISTS")
    key = script.dialect.key
    while True:
        path = cursor.path()
        draft = script.find(*cursor.qualified()) if cursor.take("ON") else None
        if draft is None:
            draft = script.owner_of_index(path[-2] if len(path) > 1 else "", path[-1])
        if draft:
            gone = key(path[-1])
            draft.table.indexes = [one for one in draft.table.indexes if key(one.name) != gone]
            draft.table.unique = [one for one in draft.table.unique if key(one.name) != gone]
        if not cursor.take(","):
            return


def _drop_schema(cursor: Cursor, script: Script) -> None:
    gone = script.dialect.key(cursor.path()[-1])
    script.schemas.pop(gone, None)
    if "CASCADE" not in cursor.up:
        return
    key, model = script.dialect.key, script.model
    for draft in [one for one in script.drafts.values() if key(one.table.schema) == gone]:
        script.drop(draft)
    pools: list[list[Any]] = [model.enums, model.domains, model.composites, model.ranges, model.routines]
    for pool in pools:
        pool[:] = [one for one in pool if key(one.schema) != gone]
    script.sequences.drop([one for one in script.sequences if key(one.schema) == gone])


def _drop_trigger(cursor: Cursor, script: Script) -> None:
    key = script.dialect.key
    gone = key(cursor.path()[-1])
    table = script.find(*cursor.qualified()) if cursor.take("ON") and cursor.is_name() else None
    for draft in [table] if table else script.drafts.values():
        draft.table.triggers = [one for one in draft.table.triggers if key(one.name) != gone]


def _drop_routine(cursor: Cursor, script: Script) -> None:
    """Take a routine out; of several with one name, the one whose types of arguments are given."""
    named = routines_named(cursor, script)
    pool = script.model.routines
    pool[:] = [one for one in pool if not any(one is other for other in named)]


def routines_named(cursor: Cursor, script: Script) -> list[Routine]:
    """Read a routine's name, with or without its arguments, and return those it means."""
    wanted = cursor.qualified()
    found = [one for one in script.model.routines if _is_named(one, wanted, script)]
    if cursor.now != "(":
        return found
    given = cursor.group_text()
    return found if len(found) < 2 else [one for one in found if _types(one.arguments) == _types(given)]


def _types(arguments: str) -> list[str]:
    """Return the last words of arguments, which are their types: `x integer` as `integer`."""
    return [
        words[-1]
        for one in arguments.lower().split(",")
        if (words := one.partition(" default ")[0].split("=")[0].split())
    ]


def _drop_type_or_sequence(cursor: Cursor, script: Script, kind: str) -> None:
    model = script.model
    wanted = cursor.qualified()
    by_kind: dict[str, list[list[Any]]] = {
        "DOMAIN": [model.domains],
        "TYPE": [model.enums, model.composites, model.ranges],
    }
    if kind not in by_kind:
        script.sequences.drop([one for one in script.sequences if _is_named(one, wanted, script)])
    for pool in by_kind.get(kind, ()):
        pool[:] = [one for one in pool if not _is_named(one, wanted, script)]


def _is_named(one: _Named, wanted: tuple[str, str], script: Script) -> bool:
    key, (schema, name) = script.dialect.key, wanted
    return key(one.name) == key(name) and (not schema or key(one.schema) == key(schema))
