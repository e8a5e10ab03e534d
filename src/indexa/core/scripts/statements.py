"""What the first words of a statement lead to."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import TypeAlias

from indexa.core.model import Table
from indexa.core.scripts import alter, alter_objects, comments, drops, indexes, objects, sequences, tables
from indexa.core.scripts.batches import slice_of
from indexa.core.scripts.cursor import Cursor, NotUnderstoodError, unquoted_string
from indexa.core.scripts.state import Script
from indexa.core.scripts.tokens import Statement

_MODIFIERS = frozenset(
    (
        "OR REPLACE DISTINCT TEMP TEMPORARY GLOBAL LOCAL UNLOGGED EXTERNAL FOREIGN VIRTUAL MATERIALIZED UNIQUE CLUSTERED "
        "NONCLUSTERED BITMAP FULLTEXT SPATIAL COLUMN ROW MULTISET SET VOLATILE HYBRID DYNAMIC TRANSIENT ICEBERG "
        "RAW STANDARD FORCE NOFORCE NO EDITIONABLE NONEDITIONABLE ALGORITHM DEFINER SQL SECURITY INVOKER "
        "DEFINER_ IMMUTABLE PRIVATE SHARDED DUPLICATED BLOCKCHAIN SECURE RECURSIVE COLUMNSTORE "
        "CONSTRAINT PUBLIC TRUSTED PROCEDURAL ASCENDING DESCENDING ASC DESC HASH OPERATIONAL DELTA "
        "MULTIVALUE JSON PRIMARY XML CONTEXT VECTOR ONLINE OFFLINE IGNORE SUMMARY ALTER MEMORY "
        "BASE WEB READABLE WRITABLE INTERACTIVE SCOPED"
    ).split()
)


def _create(cursor: Cursor, script: Script) -> None:
    modifiers: set[str] = set()
    while cursor.now in _MODIFIERS:
        word = cursor.now
        modifiers.add("DESCENDING" if word == "DESC" else word)
        cursor.i += 1
        if cursor.take("="):
            cursor.i += 1
            while (
                cursor.now in ("@", ".")
                or cursor.raw[cursor.i][:1] == "@"
                or (cursor.now == "(" and cursor.ahead(1) == ")")
            ):
                cursor.i += 2 if cursor.now in ("@", "(") else 1
    kind = cursor.now
    cursor.i += 1
    if kind == "TABLE":
        if cursor.take("FUNCTION"):
            objects.create_routine(cursor, script, "FUNCTION", whole=cursor.statement.text)
            return
        tables.create_table(cursor, script, modifiers)
    elif kind == "VIEW":
        objects.create_view(cursor, script, modifiers)
    elif kind in ("SNAPSHOT",):
        objects.create_view(cursor, script, modifiers | {"SNAPSHOT"})
    elif kind == "INDEX":
        indexes.create_index(cursor, script, modifiers)
    elif kind == "SEQUENCE" or kind == "GENERATOR":
        sequences.sequence(cursor, script, made=True)
    elif kind == "SCHEMA":
        objects.create_schema(cursor, script)
        _elements_of_schema(cursor, script)
    elif kind == "DATABASE" and script.dialect.use_names_schema:
        objects.create_schema(cursor, script)
    elif kind == "TYPE":
        if cursor.take("BODY"):
            script.note("left out", "type bodies", "A model holds the members of a type, not what its methods do.")
        else:
            objects.create_type(cursor, script)
    elif kind == "DOMAIN":
        objects.create_domain(cursor, script)
    elif kind in ("FUNCTION", "PROCEDURE", "PROC", "AGGREGATE", "EVENT", "MACRO"):
        objects.create_routine(cursor, script, kind, whole=cursor.statement.text)
    elif kind == "PACKAGE":
        if cursor.take("BODY"):
            script.statements["package bodies"] += 1
            objects.package_body(cursor, script)
        else:
            objects.create_routine(cursor, script, "PACKAGE", whole=cursor.statement.text)
    elif kind == "TRIGGER":
        objects.create_trigger(cursor, script, whole=cursor.statement.text)
    elif kind in _KINDS_NOT_HELD:
        if kind == "EXTENSION":
            _extension(cursor, script)
        script.note("left out", _KINDS_NOT_HELD[kind], "A model does not hold objects of this kind.")
    else:
        raise NotUnderstoodError(f"CREATE {kind[:30]} is not known", cursor.i - 1)


_EXTENSION_TYPES = {
    "citext": ("citext",), "hstore": ("hstore",), "ltree": ("ltree", "lquery"), "postgis": ("geometry", "geography"), "vector": ("vector",),
    "isn": ("isbn", "issn", "ean13"), "cube": ("cube",),
}  # fmt: skip


def _extension(cursor: Cursor, script: Script) -> None:
    cursor.take("IF", "NOT", "EXISTS")
    name = cursor.name() if cursor.is_name() else ""
    cursor.take("WITH")
    schema = cursor.name() if cursor.take("SCHEMA") else script.search[0]
    for type_name in _EXTENSION_TYPES.get(name, ()):
        script.extension_types[type_name] = schema


_KINDS_NOT_HELD = {
    "SEARCH": "search indexes",
    "EXTENSION": "extensions", "ROLE": "roles and users", "USER": "roles and users", "DATABASE": "databases", "SYNONYM": "synonyms",
    "TABLESPACE": "storage", "SERVER": "foreign servers", "POLICY": "policies", "RULE": "rules", "OPERATOR": "operators", "CAST": "casts",
    "COLLATION": "collations", "LANGUAGE": "languages", "STATISTICS": "statistics", "PUBLICATION": "publications", "ACCESS": "policies",
    "SUBSCRIPTION": "publications", "TEXT": "text search", "STAGE": "stages", "WAREHOUSE": "warehouses", "STREAM": "streams", "TASK": "tasks",
    "PIPE": "pipes", "FILE": "file formats", "LOGIN": "roles and users", "PARTITION": "partition functions", "DIRECTORY": "directories",
    "LINK": "links", "LOGFILE": "storage", "BUFFERPOOL": "storage", "PROFILE": "roles and users", "CERTIFICATE": "keys",
    "EXCEPTION": "exceptions", "JOIN": "join indexes", "CLUSTER": "storage", "MODEL": "models", "CATALOG": "catalogs", "DEFAULT": "defaults",
    "STOGROUP": "storage", "ALIAS": "synonyms", "VARIABLE": "variables", "SERVICE": "services", "CONVERSION": "conversions", "KEY": "keys",
    "TAG": "tags", "NETWORK": "policies", "MASKING": "policies", "FULLTEXT": "text search", "SECRET": "keys", "LIBRARY": "libraries",
    "TRANSFORM": "casts", "METHOD": "methods", "CREDENTIAL": "keys", "MESSAGE": "services", "QUEUE": "services", "CONTRACT": "services",
    "RESOURCE": "storage", "WORKLOAD": "storage", "MASTER": "keys", "SHADOW": "storage", "FILTER": "filters", "DIMENSION": "dimensions",
    "CONTEXT": "contexts", "ROLLBACK": "storage", "SPFILE": "storage", "JAVA": "libraries", "OUTLINE": "statistics",
    "INTEGRATION": "services", "STORAGE": "services", "API": "services", "NOTIFICATION": "services", "NOTEBOOK": "services",
    "STREAMLIT": "services", "APPLICATION": "services", "COMPUTE": "storage", "IMAGE": "services", "ALERT": "tasks",
    "LOG": "logs", "SHARE": "shares", "AUTHORIZATION": "roles and users", "SYMMETRIC": "keys",
}  # fmt: skip


def _elements_of_schema(cursor: Cursor, script: Script) -> None:
    """Read the CREATE statements that a CREATE SCHEMA may carry with it."""
    if cursor.now != "CREATE":
        return
    outer = script.search
    script.search = (list(script.schemas.values())[-1].name, *outer)
    statement, starts = cursor.statement, []
    depth = 0
    for at in range(cursor.i, cursor.end):
        depth += {"(": 1, ")": -1}.get(cursor.up[at], 0)
        if not depth and cursor.up[at] == "CREATE":
            starts.append(at)
    for start, end in zip(starts, [*starts[1:], cursor.end], strict=True):
        part = Cursor(slice_of(statement, start, end))
        part.i = 1
        _create(part, script)
    script.search = outer


def _alter(cursor: Cursor, script: Script) -> None:
    while cursor.now in ("FOREIGN", "EXTERNAL", "ONLINE", "OFFLINE", "IGNORE", "MATERIALIZED", "EDITIONABLE"):
        cursor.i += 1
    kind = cursor.now
    cursor.i += 1
    if kind == "TABLE":
        alter.alter_table(cursor, script)
    elif kind == "SEQUENCE":
        sequences.sequence(cursor, script, made=False)
    elif kind in ("TYPE", "DOMAIN"):
        alter_objects.alter_named(cursor, script, kind)
    elif kind in ("FUNCTION", "PROCEDURE", "ROUTINE", "AGGREGATE") and script.dialect.bodies != "go":
        alter_objects.alter_routine(cursor, script)
    elif kind == "INDEX":
        _alter_index(cursor, script)
    elif kind == "VIEW" and (cursor.ahead(1) in ("AS", "(") or cursor.ahead(3) == "AS"):
        objects.create_view(cursor, script, set())
    elif kind == "VIEW":
        alter.alter_table(cursor, script)
    elif kind in ("FUNCTION", "PROCEDURE", "PROC", "TRIGGER") and script.dialect.bodies == "go":
        if kind == "TRIGGER":
            objects.create_trigger(cursor, script, whole=cursor.statement.text)
        else:
            objects.create_routine(cursor, script, kind, whole=cursor.statement.text)
    elif kind == "TRIGGER":
        alter_objects.alter_trigger(cursor, script)
    elif kind == "SCHEMA" and cursor.ahead(1) == "TRANSFER":
        target = cursor.name()
        cursor.i += 1
        if cursor.take("OBJECT"):
            cursor.take("::")
        draft = script.find(*cursor.qualified())
        if draft:
            script.rename(draft, target, draft.table.name)
    elif kind == "SCHEMA" and cursor.ahead(1) == "RENAME":
        former = cursor.name()
        cursor.i += 1
        cursor.expect("TO")
        script.rename_schema(former, cursor.name())
    elif kind == "SESSION" and cursor.take("SET", "CURRENT_SCHEMA"):
        cursor.take("=")
        script.search = (cursor.name(),)


def _alter_index(cursor: Cursor, script: Script) -> None:
    cursor.take("IF", "EXISTS")
    schema, name = cursor.qualified()
    if cursor.take("RENAME", "TO") or cursor.take("TO"):
        key = script.dialect.key
        owner = script.owner_of_index(schema, name)
        if owner:
            new = cursor.name()
            alter.rename_part(script, owner, key(name), new)
            script.own_index(owner, schema, new)


def _set(cursor: Cursor, script: Script) -> None:
    cursor.take_any(("LOCAL", "SESSION", "CURRENT"))
    if cursor.take_any(("SEARCH_PATH", "SCHEMA", "CURRENT_SCHEMA", "PATH")) and cursor.now not in ("", ";"):
        cursor.take_any(("=", "TO"))
        found = []
        while cursor.now not in ("", ";"):
            if cursor.is_string():
                found.append(cursor.string())
            elif cursor.is_name():
                found.append(cursor.name())
            else:
                cursor.i += 1
            cursor.take(",")
        found = [one for one in found if one not in ("pg_catalog", "$user", "DEFAULT", "default")]
        script.search = tuple(found) or (script.first_schema,)


def _use(cursor: Cursor, script: Script) -> None:
    kind = cursor.take_any(("SCHEMA", "DATABASE", "ROLE", "WAREHOUSE", "CATALOG"))
    if kind in ("ROLE", "WAREHOUSE", "CATALOG") or not cursor.is_name():
        return
    path = cursor.path()
    if kind == "SCHEMA" or script.dialect.use_names_schema or len(path) > 1:
        script.search = (path[-1],)


def _database(cursor: Cursor, script: Script) -> None:
    if script.dialect.use_names_schema and cursor.is_name():
        script.search = (cursor.name(),)


def _select(cursor: Cursor, script: Script) -> None:
    """Read the one SELECT that matters: the call by which a dump empties the search path."""
    words = cursor.text(1, min(cursor.end, 12))
    if found := re.search(r"set_config\(\s*'search_path'\s*,\s*'([^']*)'", words):
        paths = [one.strip().strip('"') for one in found[1].split(",") if one.strip() and one.strip() != "pg_catalog"]
        script.search = tuple(paths) or (script.first_schema,)
    elif "INTO" in cursor.up and "FROM" in cursor.up:
        at = cursor.up.index("INTO")
        makes = script.dialect.bodies == "go" or script.dialect.names_constraints == "postgresql"
        if makes and cursor.is_name(at + 1) and not cursor.raw[at + 1].startswith(("@", "#")):
            _select_into(cursor, script, at)


def _select_into(cursor: Cursor, script: Script, at: int) -> None:
    """Read a query that makes a table of what it shows; `at` is the place of INTO."""
    cursor.i = at + 1
    modifiers = {cursor.take_any(("TEMP", "TEMPORARY", "UNLOGGED"))}
    cursor.take("TABLE")
    start = cursor.i
    schema, name = cursor.qualified()
    schema = script.schema_for(schema)
    if script.exists(schema, name):
        return
    table = Table(schema=schema, name=name, unlogged="UNLOGGED" in modifiers)
    draft = script.add(table, f"{table.full_name}, line {cursor.statement.line_of(start)}")
    draft.temporary = bool(modifiers & {"TEMP", "TEMPORARY"})
    query = f"{cursor.text(0, at)} {cursor.text(cursor.i, cursor.end)}"
    script.await_query(draft, query.rstrip("; \n"))


def _anonymous(cursor: Cursor, script: Script) -> None:
    """Name what a block that is run at once would make: it is not run here."""
    statement = cursor.statement
    objects.name_dynamic(script, statement.text, f"line {statement.line_of(0)}")


def _execute(cursor: Cursor, script: Script) -> None:
    if comments.extended_property(cursor, script):
        return
    up = cursor.up
    if any(one.strip('[]"').endswith("SP_RENAME") for one in up[1:4]):
        _sp_rename(cursor, script)
        return
    if script.dialect.bodies != "go":
        _anonymous(cursor, script)
        return
    for at in range(1, min(cursor.end, 8)):
        raw = cursor.raw[at]
        if raw[-1:] == "'" and re.match(r"N?'\s*(?:CREATE|ALTER)\b", raw, re.I):
            inner = Statement(
                unquoted_string(raw, backslash=False).strip(),
                script.dialect,
                cursor.statement.file,
                cursor.statement.line_of(at),
            )
            part = Cursor(inner)
            part.i = 1
            (_create if part.up[0] == "CREATE" else _alter)(part, script)
            return


def _sp_rename(cursor: Cursor, script: Script) -> None:
    message = [unquoted_string(raw, backslash=False) for raw in cursor.raw if raw[-1:] == "'"]
    if len(message) < 2:
        return
    path = [one.strip('[]"') for one in message[0].split(".")]
    kind = message[2].upper() if len(message) > 2 else "OBJECT"
    if kind == "COLUMN" and len(path) > 1:
        draft = script.find(path[-3] if len(path) > 2 else "", path[-2])
        if draft:
            script.rename_column(draft, path[-1], message[1])
    elif kind == "INDEX" and len(path) > 1:
        draft = script.find(path[-3] if len(path) > 2 else "", path[-2])
        if draft:
            alter.rename_part(script, draft, script.dialect.key(path[-1]), message[1])
    elif kind == "OBJECT":
        draft = script.find(path[-2] if len(path) > 1 else "", path[-1])
        if draft:
            script.rename(draft, draft.table.schema, message[1])


def _rename(cursor: Cursor, script: Script) -> None:
    if cursor.take("TABLE"):
        alter.rename_tables(cursor, script)
    elif cursor.take("COLUMN"):
        path = cursor.path()
        cursor.expect("TO")
        if len(path) > 1 and (draft := script.find(path[-3] if len(path) > 2 else "", path[-2])):
            script.rename_column(draft, path[-1], cursor.name())
    elif cursor.take("INDEX"):
        _alter_index(cursor, script)
    elif cursor.take("TABLESPACE"):
        pass
    elif cursor.is_name():
        alter.rename_tables(cursor, script)


def _replace(cursor: Cursor, script: Script) -> None:
    """REPLACE VIEW and its like are CREATE OR REPLACE."""
    _create(cursor, script)


def _comment(cursor: Cursor, script: Script) -> None:
    cursor.take("ON")
    comments.comment_on(cursor, script)


Handler: TypeAlias = Callable[[Cursor, Script], None]
HANDLERS: dict[str, Handler] = {
    "CREATE": _create,
    "BEGIN": _anonymous,
    "DECLARE": _anonymous,
    "DO": _anonymous,
    "RECREATE": _create,
    "ALTER": _alter,
    "DROP": drops.drop,
    "UNDROP": drops.undrop,
    "COMMENT": _comment,
    "SET": _set,
    "USE": _use,
    "DATABASE": _database,
    "SELECT": _select,
    "EXEC": _execute,
    "EXECUTE": _execute,
    "RENAME": _rename,
    "REPLACE": _replace,
    "LABEL": _comment,
}
