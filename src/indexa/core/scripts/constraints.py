"""Constraints and indexes between the columns of a table, in every form."""

from __future__ import annotations

from indexa.core.model import Exclusion, Index, Key, Table
from indexa.core.scripts.cursor import Cursor, NotUnderstoodError
from indexa.core.scripts.indexes import index_parts
from indexa.core.scripts.keys import check, key_tail, references
from indexa.core.scripts.state import Draft, Script

BEGIN_CONSTRAINT = frozenset(
    ["CONSTRAINT", "PRIMARY", "UNIQUE", "FOREIGN", "CHECK", "EXCLUDE", "FULLTEXT", "SPATIAL", "VECTOR", "KEY", "INDEX"]
)


def is_constraint(cursor: Cursor, script: Script) -> bool:
    """Say whether a table constraint begins here, and not a column that happens to be called like one."""
    word = cursor.now
    if word not in BEGIN_CONSTRAINT:
        return False
    then = cursor.ahead(1)
    if word == "CONSTRAINT":
        return True
    if word == "PRIMARY":
        return then == "KEY"
    if word == "UNIQUE":
        return then in ("(", "KEY", "INDEX", "CLUSTERED", "NONCLUSTERED", "NULLS", "USING") or cursor.ahead(2) == "("
    if word == "FOREIGN":
        return then == "KEY"
    if word == "CHECK":
        return then == "("
    if word == "EXCLUDE":
        return then in ("USING", "(")
    if word in ("FULLTEXT", "SPATIAL", "VECTOR"):
        return then in ("KEY", "INDEX", "(") or cursor.ahead(2) == "("
    if (
        word == "INDEX"
        and cursor.ahead(2) == "("
        and cursor.is_name(cursor.i + 3)
        and not script.dialect.any_type_words
    ):
        return True
    if word in ("KEY", "INDEX") and script.dialect.inline_indexes:
        if then == "USING":
            return True
        at = 1 if then == "(" else 2
        if cursor.ahead(at) in ("USING", "UNIQUE", "CLUSTERED", "NONCLUSTERED", "TYPE"):
            return True
        return cursor.ahead(at) == "(" and not cursor.ahead(at + 1).isdigit()
    return False


def table_constraint(cursor: Cursor, script: Script, draft: Draft) -> None:
    """Read one constraint or inline index of a table."""
    name = ""
    table = draft.table
    nameless = cursor.ahead(1) in ("PRIMARY", "UNIQUE", "FOREIGN", "CHECK") and cursor.ahead(2) in ("KEY", "(", "INDEX")
    if cursor.take("CONSTRAINT") and not nameless:
        name = cursor.path()[-1]
    word = cursor.now
    if word == "PRIMARY":
        cursor.i += 2
        _before_columns(cursor)
        table.primary_key = Key(name=name, columns=columns_of(cursor, script, draft))
        key_tail(cursor, table.primary_key)
        if not script.dialect.primary_key_may_be_null:
            make_mandatory(script, draft, table.primary_key.columns)
    elif word == "UNIQUE":
        cursor.i += 1
        _unique(cursor, script, draft, name)
    elif word == "FOREIGN":
        cursor.i += 2
        if cursor.now != "(":
            index_name = cursor.name()
            name = name or index_name
        columns = cursor.names_group()
        cursor.expect("REFERENCES")
        references(cursor, script, draft, columns, name)
    elif word == "CHECK":
        cursor.i += 1
        table.checks.append(check(cursor, name))
    elif word == "EXCLUDE":
        cursor.i += 1
        table.exclusions.append(_exclusion(cursor, name))
    elif word in ("KEY", "INDEX", "FULLTEXT", "SPATIAL", "VECTOR"):
        _inline_index(cursor, script, draft)
    elif word == "NOT" and cursor.ahead(1) == "NULL":
        cursor.i += 2
        if cursor.is_name():
            make_mandatory(script, draft, (cursor.name(),))
    else:
        raise NotUnderstoodError(f"no constraint that is known begins with “{cursor.raw[cursor.i][:40]}”", cursor.i)
    _name_behind(cursor, table)


def _name_behind(cursor: Cursor, table: Table) -> None:
    """Read a constraint's name that stands behind it, as Informix has it."""
    if cursor.now != "CONSTRAINT" or not cursor.is_name(cursor.i + 1):
        return
    cursor.i += 1
    name = cursor.path()[-1]
    parts = [
        one
        for one in (table.primary_key, *table.unique, *table.checks, *table.foreign_keys)
        if one is not None and not one.name
    ]
    if parts:
        parts[-1].name = name


def columns_of(cursor: Cursor, script: Script, draft: Draft) -> tuple[str, ...]:
    names = cursor.names_group()
    return script.actual_names(draft, names)


def _before_columns(cursor: Cursor) -> None:
    while cursor.now not in ("(", ""):
        if cursor.take("USING"):
            cursor.i += 1
        else:
            cursor.i += 1


def make_mandatory(script: Script, draft: Draft, names: tuple[str, ...]) -> None:
    for one in (draft, *script.descendants(draft)):
        for name in names:
            if column := script.column(one, name):
                column.nullable = False


def counts_rows(draft: Draft, key: Key, script: Script) -> bool:
    """Say whether a primary key is the number that a row has anyway, so that no index is made for it."""
    column = script.column(draft, key.columns[0]) if len(key.columns) == 1 else None
    return script.dialect.any_type_words and column is not None and column.type.upper() == "INTEGER"


def _unique(cursor: Cursor, script: Script, draft: Draft, name: str) -> None:
    distinct = True
    while cursor.now != "(":
        if cursor.take("NULLS"):
            distinct = not cursor.take("NOT")
            cursor.take("DISTINCT")
        elif cursor.take("KEY") or cursor.take("INDEX") or cursor.take_any(("CLUSTERED", "NONCLUSTERED", "HASH")):
            pass
        elif cursor.take("USING"):
            cursor.i += 1
        elif cursor.take("WHERE") or not cursor.now:
            raise NotUnderstoodError("a unique key without columns", cursor.i)
        else:
            name = cursor.name()
    parts = index_parts(cursor, script, draft)
    if all(part.column and not part.length for part in parts):
        key = Key(name=name, columns=tuple(part.column for part in parts), nulls_distinct=distinct)
        draft.table.unique.append(key)
        key_tail(cursor, key)
    else:
        draft.table.indexes.append(Index(name=name, parts=parts, unique=True))
        key_tail(cursor, None)


def _exclusion(cursor: Cursor, name: str) -> Exclusion:
    method = "gist"
    if cursor.take("USING"):
        method = cursor.name()
    start = cursor.i + 1
    cursor.skip_group()
    elements, at = [], start
    depth = 0
    for place in range(start, cursor.i):
        token = cursor.up[place]
        depth += {"(": 1, ")": -1}.get(token, 0)
        if (token == "," and not depth) or depth < 0:
            elements.append(cursor.text(at, place))
            at = place + 1
    made = Exclusion(name=name, elements=tuple(elements), method=method)
    if cursor.take("WHERE"):
        made.predicate = cursor.group_text()
    key_tail(cursor, None)
    return made


def _inline_index(cursor: Cursor, script: Script, draft: Draft) -> None:
    method = ""
    kind = cursor.now
    cursor.i += 1
    if kind in ("FULLTEXT", "SPATIAL", "VECTOR"):
        method = kind.lower()
        cursor.take_any(("KEY", "INDEX"))
    name = ""
    unique = False
    while cursor.now != "(":
        if cursor.now in ("USING", "TYPE") and cursor.ahead(1) != "(":
            cursor.i += 1
            method = cursor.name().lower()
        elif cursor.take("UNIQUE"):
            unique = True
        elif cursor.take_any(("CLUSTERED", "NONCLUSTERED", "IF", "NOT", "EXISTS", "HASH")):
            pass
        else:
            name = cursor.name()
    index = Index(name=name, parts=index_parts(cursor, script, draft), method=method, unique=unique)
    draft.table.indexes.append(index)
    _index_options(cursor, index)


def _index_options(cursor: Cursor, index: Index) -> None:
    while cursor.now not in (",", ")", ""):
        if cursor.take_any(("USING", "TYPE")):
            index.method = cursor.name().lower()
        elif cursor.take("COMMENT"):
            index.comment = cursor.label()
        elif cursor.now == "(":
            cursor.skip_group()
        else:
            cursor.i += 1
