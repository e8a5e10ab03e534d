"""Comments that are statements of their own: COMMENT ON in its forms, and extended properties."""

from __future__ import annotations

import re
from typing import Any

from indexa.core.scripts.cursor import Cursor, MisfitError, NotUnderstoodError, unquoted_string
from indexa.core.scripts.state import Draft, Script

_NAME = r'("[^"]++"|[A-Za-z_]\w*+)'
_PLAIN = re.compile(
    rf"COMMENT\s+ON\s+(?:TABLE\s+(?:{_NAME}\.)?{_NAME}|COLUMN\s+(?:{_NAME}\.)?{_NAME}\.{_NAME})\s+IS\s+'((?:[^'\\]++|'')*+)'\s*\Z",
    re.I,
)
_PLAIN_PROPERTY = re.compile(
    r"EXEC(?:UTE)?\s+(?:\[?sys\]?\.)?sp_addextendedproperty\s+@name\s*=\s*N?'MS_Description'\s*,\s*@value\s*=\s*N?'((?:[^']++|'')*+)'"
    r"\s*,\s*@level0type\s*=\s*N?'SCHEMA'\s*,\s*@level0name\s*=\s*N?'([^']++)'"
    r"\s*,\s*@level1type\s*=\s*N?'TABLE'\s*,\s*@level1name\s*=\s*N?'([^']++)'"
    r"(?:\s*,\s*@level2type\s*=\s*N?'COLUMN'\s*,\s*@level2name\s*=\s*N?'([^']++)')?\s*\Z",
    re.I,
)


def plain_comment(script: Script, text: str) -> bool:
    """Take a comment in the form in which most come, without taking it apart; say whether it was that."""
    if found := _PLAIN.match(text):
        *path, message = (word or "" for word in found.groups())
        schema, table, column = path[0] or path[2], path[1] or path[3], path[4]
        fold = True
    elif found := _PLAIN_PROPERTY.match(text):
        message, schema, table, column = (word or "" for word in found.groups())
        fold = False
    else:
        return False
    name_of = script.dialect.plain_name
    words = (schema, table, script.search)
    draft = script.found_by_words.get(words)
    if draft is None:
        draft = script.find(name_of(schema) if schema else "", name_of(table)) if fold else script.find(schema, table)
        if draft is None:
            return False
        script.found_by_words[words] = draft
    if fold and column:
        column = name_of(column)
    target = script.column(draft, column) if column else draft.table
    if target is None:
        return False
    target.comment = message.replace("''", "'")
    script.statements[text[: text.index(" ")].upper()] += 1
    return True


_TABLE_LIKE = frozenset({"TABLE", "VIEW", "FOREIGN", "MATERIALIZED", "PARTITIONED"})


def comment_on(cursor: Cursor, script: Script) -> None:
    """Read what follows COMMENT ON."""
    if cursor.take("IF", "EXISTS"):
        cursor.take("ON")
    kind = cursor.now
    if kind in _TABLE_LIKE or kind in (
        "COLUMN",
        "SCHEMA",
        "TYPE",
        "DOMAIN",
        "SEQUENCE",
        "INDEX",
        "CONSTRAINT",
        "TRIGGER",
    ):
        cursor.i += 1
        if kind in ("FOREIGN", "MATERIALIZED", "PARTITIONED"):
            cursor.i += 1
    elif kind in (
        "DATABASE",
        "PARAMETER",
        "EXTENSION",
        "ROLE",
        "USER",
        "PROCEDURE",
        "FUNCTION",
        "AGGREGATE",
        "OPERATOR",
        "LANGUAGE",
        "CAST",
        "POLICY",
        "RULE",
        "COLLATION",
        "TEXT",
        "SERVER",
        "EVENT",
        "PUBLICATION",
        "TABLESPACE",
        "LARGE",
        "PACKAGE",
        "STAGE",
        "WAREHOUSE",
        "ACCESS",
    ):
        _other(cursor, script, kind)
        return
    else:  # "COMMENT ON name (column IS '...')" and "COMMENT ON name IS" of mainframe descent
        kind = "TABLE"
    if kind == "CONSTRAINT" or kind == "TRIGGER":
        name = cursor.name()
        cursor.expect("ON")
        if cursor.take("DOMAIN"):
            _label_check(cursor, script, name)
            return
        draft = _draft(cursor, script, cursor.path())
        if script.dialect.names_constraints != "mysql":
            script.name_parts(draft)
        if cursor.take("IS"):
            _label_part(script, draft, name, _said(cursor), trigger=kind == "TRIGGER")
        return
    path = cursor.path()
    if cursor.now == "(":
        _columns_in_brackets(cursor, _draft(cursor, script, path), script)
        return
    if not cursor.take("IS") and not cursor.take("AS") and not cursor.is_string():
        raise NotUnderstoodError("IS was expected", cursor.i)
    message = _said(cursor)
    if kind == "TABLE" and len(path) == 3 and not script.find(path[-2], path[-1]) and script.find(path[0], path[1]):
        kind = "COLUMN"  # a platform that lets the kind be left out
    if kind == "COLUMN":
        draft = _draft(cursor, script, path[:-1])
        column = script.column(draft, path[-1])
        if column is None and draft.query:  # a view's columns are not known before the end
            script.later_comments.append((draft.number, path[-1], message))
        elif column is None:
            raise MisfitError(f"there is no column {path[-1]}", cursor.i - 1)
        else:
            column.comment = message
    elif kind == "SCHEMA":
        script.schema_made(path[-1]).comment = message
    elif kind in ("TYPE", "DOMAIN", "SEQUENCE"):
        _label_object(script, kind, path, message)
    elif kind == "INDEX":
        owner = script.owner_of_index(path[-2] if len(path) > 1 else "", path[-1])
        if owner:
            _label_part(script, owner, path[-1], message, trigger=False)
    else:
        _draft(cursor, script, path).table.comment = message


def _other(cursor: Cursor, script: Script, kind: str) -> None:
    if kind in ("FUNCTION", "PROCEDURE", "AGGREGATE"):
        cursor.i += 1
        _, name = cursor.qualified()
        while cursor.now not in ("IS", "", ";"):
            cursor.i += 1
        if cursor.take("IS"):
            message = _said(cursor)
            for routine in script.model.routines:
                if script.dialect.key(routine.name) == script.dialect.key(name):
                    routine.comment = message
        return
    script.note("left out", "comments", f"A comment on a {kind.lower()}; a model does not hold that.")


def _said(cursor: Cursor) -> str:
    if cursor.take("NULL"):
        return ""
    if not cursor.is_string():
        raise NotUnderstoodError("a text was expected", cursor.i)
    return cursor.label()


def _draft(cursor: Cursor, script: Script, path: list[str]) -> Draft:
    draft = script.find(path[-2] if len(path) > 1 else "", path[-1]) if path else None
    if draft is None:
        raise MisfitError(f"{'.'.join(path)} is not in the script", cursor.i - 1)
    return draft


def _columns_in_brackets(cursor: Cursor, draft: Draft, script: Script) -> None:
    cursor.expect("(")
    while cursor.now not in (")", ""):
        name = cursor.name()
        cursor.expect("IS")
        message = _said(cursor)
        if column := script.column(draft, name):
            column.comment = message
        if not cursor.take(","):
            return


def _label_part(script: Script, draft: Draft, name: str, said: str, *, trigger: bool) -> None:
    table = draft.table
    parts: list[Any] = [*table.unique, *table.checks, *table.foreign_keys, *table.exclusions, *table.indexes]
    if table.primary_key:
        parts.append(table.primary_key)
    for part in table.triggers if trigger else parts:
        if script.dialect.key(part.name) == script.dialect.key(name):
            part.comment = said


def _label_check(cursor: Cursor, script: Script, name: str) -> None:
    """Read what stands behind ON DOMAIN: the domain, and what is said of one of its conditions."""
    key = script.dialect.key
    schema, domain = cursor.qualified()
    if not cursor.take("IS"):
        return
    message = _said(cursor)
    for one in script.model.domains:
        if key(one.name) == key(domain) and (not schema or key(one.schema) == key(schema)):
            for check in one.checks:
                if key(check.name) == key(name):
                    check.comment = message


def _label_object(script: Script, kind: str, path: list[str], said: str) -> None:
    key, model = script.dialect.key, script.model
    by_kind: dict[str, list[Any]] = {"DOMAIN": [model.domains], "SEQUENCE": [script.sequences]}
    pools = by_kind.get(kind, [model.enums, model.composites, model.ranges, model.domains])
    for pool in pools:
        for one in pool:
            if key(one.name) == key(path[-1]) and (len(path) < 2 or key(one.schema) == key(path[-2])):
                one.comment = said


def extended_property(cursor: Cursor, script: Script) -> bool:
    """Read a call that adds, updates or drops an extended property; say whether it was one."""
    up = cursor.up
    place = next((at for at in range(min(6, cursor.end)) if up[at].strip('[]"') in _PROPERTY_CALLS), None)
    if place is None:
        return False
    cursor.i = place + 1
    order = [
        "NAME",
        *([] if "DROP" in up[place] else ["VALUE"]),
        "LEVEL0TYPE",
        "LEVEL0NAME",
        "LEVEL1TYPE",
        "LEVEL1NAME",
        "LEVEL2TYPE",
        "LEVEL2NAME",
    ]
    message: dict[str, str] = {}
    number = 0
    while cursor.now not in ("", ";"):
        member = order[number] if number < len(order) else ""
        if cursor.raw[cursor.i][:1] == "@" and cursor.ahead(1) == "=":
            member = cursor.up[cursor.i][1:]
            cursor.i += 2
        if cursor.is_string():
            message[member] = unquoted_string(cursor.raw[cursor.i], backslash=False)
        elif cursor.now != "NULL" and cursor.is_name():
            message[member] = cursor.plain_name(cursor.raw[cursor.i])
        cursor.skip_element()
        number += 1
        if not cursor.take(","):
            break
    if message.get("NAME", "").lower() != "ms_description":
        script.note("left out", "extended properties", "Only descriptions are read.", message.get("NAME", ""))
        return True
    schema, table, part = message.get("LEVEL0NAME", ""), message.get("LEVEL1NAME", ""), message.get("LEVEL2NAME", "")
    if not table:
        if schema:
            script.schema_made(schema).comment = message.get("VALUE", "")
        return True
    draft = script.find(schema, table)
    if draft is None:
        script.note("left out", "comments", "What it describes is not in the script.", f"{schema}.{table}")
    elif not part:
        draft.table.comment = message.get("VALUE", "")
    elif message.get("LEVEL2TYPE", "").upper() == "COLUMN":
        column = script.column(draft, part)
        if column:
            column.comment = message.get("VALUE", "")
        elif draft.query:
            script.later_comments.append((draft.number, part, message.get("VALUE", "")))
    else:
        _label_part(
            script, draft, part, message.get("VALUE", ""), trigger=message.get("LEVEL2TYPE", "").upper() == "TRIGGER"
        )
    return True


_PROPERTY_CALLS = frozenset({"SP_ADDEXTENDEDPROPERTY", "SP_UPDATEEXTENDEDPROPERTY", "SP_DROPEXTENDEDPROPERTY"})
