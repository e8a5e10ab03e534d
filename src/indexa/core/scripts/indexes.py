"""CREATE INDEX, and the list of keys that an index has in any dialect."""

from __future__ import annotations

import re

from indexa.core.model import Index, IndexPart, Key
from indexa.core.scripts.cursor import Cursor, NotUnderstoodError
from indexa.core.scripts.state import Draft, Script

_NAME = r"([A-Za-z_]\w*+|\"[^\".\n]++\"|`[^`.\n]++`)"
_PLAIN = re.compile(
    rf"CREATE\s+(UNIQUE\s+)?INDEX\s+(?!CONCURRENTLY\b){_NAME}\s+ON\s+(?:{_NAME}\.)?{_NAME}\s*"
    r"\(\s*((?:[A-Za-z_]\w*+|\"[^\".,\n]++\"|`[^`.,\n]++`)(?:\s*,\s*(?:[A-Za-z_]\w*+|\"[^\".,\n]++\"|`[^`.,\n]++`))*)\s*\)\s*\Z",
    re.I | re.A,
)
_HAS_PREFIX = re.compile(r"(?:var)?(?:char|binary)|\w*(?:text|blob)|geo|point|json", re.I)
_LENGTH = re.compile(r"(?:var)?char\((\d+)\)", re.I)
_ENDS_PART = frozenset({"ASC", "DESC", "NULLS", "COLLATE", ",", ")", ""})


def index_parts(cursor: Cursor, script: Script, draft: Draft | None) -> tuple[IndexPart, ...]:
    """Read a bracketed list of index keys: columns with length and order, or expressions."""
    cursor.expect("(")
    parts = []
    while cursor.now not in (")", ""):
        parts.append(_part(cursor, script, draft))
        if not cursor.take(","):
            break
    cursor.expect(")")
    return tuple(parts)


def _part(cursor: Cursor, script: Script, draft: Draft | None) -> IndexPart:
    start = cursor.i
    part = IndexPart()
    follows = cursor.ahead(1)
    if follows in (",", ")") and cursor.is_name() and cursor.raw[start][0] != "'":
        name = cursor.name()
        column = script.column(draft, name) if draft else None
        part.column = column.name if column else name
        return part
    if (
        cursor.is_name()
        and cursor.raw[start][0] != "'"
        and follows != "."
        and not (follows == "(" and not cursor.ahead(2).isdigit())
    ):
        name = cursor.name()
        column = script.column(draft, name) if draft else None
        part.column = column.name if column else name
        if cursor.now == "(" and cursor.ahead(1).isdigit():
            part.length = int(cursor.ahead(1))
            cursor.skip_group()
            if column and script.dialect.names_constraints == "mysql" and not _HAS_PREFIX.match(column.type):
                part.length = 0  # the server passes over it
            if column and (whole := _LENGTH.fullmatch(column.type)) and int(whole[1]) <= part.length:
                part.length = 0  # a prefix as long as the column is no prefix
        if cursor.is_name() and cursor.now not in _ENDS_PART and cursor.now != "WITH":
            part.operator_class = cursor.path()[-1]
            if cursor.now == "(":
                cursor.skip_group()
        if cursor.now not in _ENDS_PART and cursor.now != "WITH":  # an operator: an expression after all
            _skip_expression(cursor)
            part = IndexPart(expression=cursor.text(start, cursor.i))
    else:
        _skip_expression(cursor)
        text = cursor.text(start, cursor.i)
        part.expression = text[1:-1].strip() if cursor.after_group(start) == cursor.i and text[:1] == "(" else text
        if cursor.is_name() and cursor.now not in _ENDS_PART:
            part.operator_class = cursor.name()
    while cursor.now not in (",", ")", ""):
        if cursor.take("COLLATE"):
            part.collation = cursor.path()[-1]
        elif cursor.take("DESC"):
            part.descending = part.nulls_first = script.dialect.indexes_keep_order
        elif cursor.take("NULLS"):
            part.nulls_first = cursor.now == "FIRST"
            cursor.i += 1
        elif cursor.now == "(":
            cursor.skip_group()
        else:
            if not part.operator_class and cursor.is_name() and cursor.now not in _ENDS_PART:
                part.operator_class = "" if cursor.now == "WITH" else cursor.raw[cursor.i]
            cursor.i += 1
    indexed = script.column(draft, part.column) if draft and part.collation and part.column else None
    if indexed and script.dialect.key(indexed.collation) == script.dialect.key(part.collation):
        part.collation = ""  # as the column sorts anyway
    if part.descending and script.dialect.names_constraints != "postgresql":
        part.nulls_first = False
    return part


def _skip_expression(cursor: Cursor) -> None:
    first = True
    while cursor.now not in _ENDS_PART:
        if cursor.now == "(":
            cursor.skip_group()
            first = False
            if (
                cursor.is_name()
                and cursor.raw[cursor.i][0] != "'"
                and cursor.now not in ("AND", "OR", "IS", "NOT", "IN", "LIKE")
            ):
                return
        else:
            cursor.i += 1
            first = False
    if first:
        raise NotUnderstoodError("an index key was expected", cursor.i)


def plain_index(script: Script, text: str) -> bool:
    """Take an index over plain columns without taking its statement apart; say whether it was that."""
    found = _PLAIN.match(text)
    if found is None or any(mark in text and mark not in script.dialect.identifier_quotes for mark in '"`'):
        return False
    unique, name, schema, table, columns = found.groups()
    fold = script.dialect.plain_name
    draft = script.find(fold(schema) if schema else "", fold(table))
    if draft is None or draft.temporary:
        return False
    names = script.actual_names(draft, tuple([fold(column.strip()) for column in columns.split(",")]))
    name = fold(name)
    if unique and script.dialect.unique_index_is_key:
        draft.table.unique.append(Key(name=name, columns=names))
    else:
        parts = tuple([IndexPart(column=column) for column in names])
        draft.table.indexes.append(Index(name=name, parts=parts, unique=bool(unique), method=""))
    script.own_index(draft, "", name)
    script.statements["CREATE"] += 1
    return True


def create_index(cursor: Cursor, script: Script, modifiers: set[str]) -> None:
    """Read what follows CREATE ... INDEX."""
    unique = "UNIQUE" in modifiers
    method = next(
        (word.lower() for word in ("FULLTEXT", "SPATIAL", "BITMAP", "COLUMNSTORE", "VECTOR") if word in modifiers), ""
    )
    cursor.take("CONCURRENTLY")
    cursor.take("IF", "NOT", "EXISTS")
    schema, name = ("", "") if cursor.now in ("ON", "(") else cursor.qualified()
    descending = "DESCENDING" in modifiers
    if cursor.take_any(("USING", "TYPE")):
        method = cursor.name().lower()
    if cursor.now == "(":  # a parallel platform puts the columns first
        parts = index_parts(cursor, script, None)
        if cursor.take("ORDER", "BY"):
            while cursor.now not in ("ON", "", ";"):
                cursor.i += 1
        cursor.expect("ON")
        draft = script.find(*cursor.qualified())
    else:
        cursor.expect("ON")
        cursor.take("ONLY")
        cursor.take("CLUSTER")
        table = cursor.qualified()
        draft = script.find(*table)
        if cursor.take_any(("USING", "TYPE")):
            method = cursor.name().lower()
        if cursor.take("COMPUTED"):
            cursor.take("BY")
            parts = (IndexPart(expression=cursor.group_text()),)
        elif cursor.now == "(":
            parts = index_parts(cursor, script, draft)
        elif method == "columnstore":
            parts = ()
        else:
            raise NotUnderstoodError("an index without keys", cursor.i)
    if draft is None:
        place = f"line {cursor.statement.line_of(0)}"
        script.note("left out", "indexes", "The table it belongs to is not in the script.", f"{name}, {place}")
        return
    if draft.temporary:
        return
    if descending:
        for part in parts:
            part.descending = True
    index = Index(name=name, parts=parts, unique=unique, method=method)
    _tail(cursor, script, draft, index)
    if unique and script.dialect.unique_index_is_key and all(part.column and not part.length for part in parts):
        draft.table.unique.append(Key(name=name, columns=tuple(part.column for part in parts), comment=index.comment))
    else:
        draft.table.indexes.append(index)
    script.own_index(draft, schema, name)


def _tail(cursor: Cursor, script: Script, draft: Draft, index: Index) -> None:
    while cursor.now not in ("", ";"):
        if cursor.now in ("INCLUDE", "INCLUDING") and cursor.ahead(1) == "(":
            cursor.i += 1
            index.included = cursor.names_group()
        elif cursor.take("WHERE"):
            start = cursor.i
            while cursor.now not in ("", ";", "WITH", "TABLESPACE"):
                if cursor.now == "(":
                    cursor.skip_group()
                else:
                    cursor.i += 1
            index.predicate = cursor.text(start, cursor.i)
        elif cursor.take("USING", "STOGROUP"):
            cursor.i += 1
        elif cursor.take_any(("USING", "TYPE")):
            index.method = cursor.name().lower()
        elif cursor.take("COMMENT"):
            cursor.take("=")
            index.comment = cursor.label()
        elif cursor.now == "(":
            cursor.skip_group()
        else:
            cursor.i += 1
