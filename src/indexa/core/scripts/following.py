"""Queries of views and triggers that go on to speak of a table or column that is renamed, as the platform rewords them."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable, Iterator
from typing import Any

from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.words import is_too_much, renamed_in, written_name

Path = tuple[str, str]
"""Schema and name."""
_NAME = r"(?:\"(?:[^\"]|\"\")+\"|`(?:[^`]|``)+`|\[[^\]]+\]|\w+)"
_ON_TABLE = re.compile(rf"(\bON\s+)((?:{_NAME}\s*\.\s*)?{_NAME})(?=[\s;]|$)", re.IGNORECASE)


_WORDS_OF_TRIGGERS = frozenset(
    "after and before begin create delete each end execute for from function if insert instead new not null of old on or procedure row select "
    "set statement then trigger truncate update when where".split()
)  # fmt: skip


def table_renamed(query: str, old: Path, new: Path, home: str, dialect: Dialect) -> str:
    """Return a query that speaks of a table by its new name; `home` is where a name without a schema is looked for."""

    def changes(tree: Any) -> Iterator[tuple[Any, str]]:
        from sqlglot import exp

        shown_as = False
        for one in _tables(tree, old, home, dialect):
            yield one.this, written_name(new[1], dialect)
            if new[0] != old[0] and one.args.get("db") is not None:
                yield one.args["db"], written_name(new[0], dialect)
            shown_as = shown_as or not one.alias
        for column in tree.find_all(exp.Column) if shown_as else ():
            if (said := column.args.get("table")) is not None and _is(said, old[1], dialect):
                yield said, written_name(new[1], dialect)

    return _reworded(query, dialect, changes)


def column_renamed(
    query: str, table: Path, old: str, new: str, home: str, dialect: Dialect, columns_of: Callable[[Path], set[str]]
) -> str:
    """Return a query that speaks of a table's column by its new name; where a view has its columns for good, it shows it by the old one.

    `columns_of` returns the columns of another table, as the dialect compares names.
    """

    def changes(tree: Any) -> Iterator[tuple[Any, str]]:
        from sqlglot import exp

        meant = {id(one) for one in _tables(tree, table, home, dialect)}
        for column in tree.find_all(exp.Column):
            if not _is(column.this, old, dialect) or not is_meant(column, meant):
                continue
            query = column.parent
            shown = isinstance(query, exp.Select) and any(one is column for one in query.expressions)
            as_before = f" AS {written_name(old, dialect)}" if shown and not dialect.views_follow else ""
            yield column.this, written_name(new, dialect) + as_before

    def is_meant(column: Any, meant: set[int]) -> bool:
        """Say whether a column is one of the table's: of those that a query, or one around it, takes rows from."""
        from sqlglot import exp

        query = column.find_ancestor(exp.Select)
        while query is not None:
            sources = _sources(query)
            if column.table:
                named = [one for one in sources if dialect.key(one.alias_or_name) == dialect.key(column.table)]
                if named:
                    return id(named[0]) in meant
            elif any(id(one) in meant for one in sources):
                return True  # the name would not be clear if another one had it too
            elif any(has(one, old) for one in sources):
                return False
            query = query.find_ancestor(exp.Select)
        return False

    def has(source: Any, name: str) -> bool:
        from sqlglot import exp

        if isinstance(source, exp.Table):
            return dialect.key(name) in columns_of((source.db or home, source.name))
        return dialect.key(name) in {dialect.key(one) for one in getattr(source, "named_selects", ())}

    return _reworded(query, dialect, changes)


def trigger_moved(definition: str, old: Path, new: Path, dialect: Dialect) -> str:
    """Return the statement of a trigger that is on a table which has another name now."""

    def told(found: re.Match[str]) -> str:
        schema, _, name = found[2].rpartition(".")
        if dialect.key(dialect.plain_name(name.strip())) != dialect.key(old[1]):
            return found[0]
        path = [*([written_name(new[0], dialect)] if schema else []), written_name(new[1], dialect)]
        return found[1] + ".".join(path)

    return _ON_TABLE.sub(told, definition, count=1)


def trigger_reworded(definition: str, old: str, new: str, dialect: Dialect) -> str:
    """Return the statement of a trigger that speaks of its table's column by the new name."""
    if dialect.key(old).lower() in _WORDS_OF_TRIGGERS:
        return definition
    return renamed_in(definition, dialect.key(old), new, dialect)


def _sources(query: Any) -> list[Any]:
    """Return what a query takes rows from, joins within brackets taken apart."""
    from sqlglot import exp

    waiting = [query.args.get("from_") or query.args.get("from"), *(query.args.get("joins") or [])]
    found = []
    while waiting:
        one = waiting.pop()
        if one is None:
            continue
        waiting += one.args.get("joins") or []
        in_brackets = (
            isinstance(one, exp.Subquery) and not one.alias and isinstance(one.this, (exp.Table, exp.Subquery))
        )
        if in_brackets or isinstance(one, (exp.From, exp.Join, exp.Paren)):
            waiting.append(one.this)
        else:
            found.append(one)
    return found


def _is(identifier: Any, name: str, dialect: Dialect) -> bool:
    said = identifier.name if identifier.args.get("quoted") else dialect.folded(identifier.name)
    return dialect.key(said) == dialect.key(name)


def _tables(tree: Any, path: Path, home: str, dialect: Dialect) -> list[Any]:
    """Return the places where a query takes rows from a table."""
    from sqlglot import exp

    named_by_itself = {dialect.key(one.alias) for one in tree.find_all(exp.CTE)}
    found = []
    for one in tree.find_all(exp.Table):
        if not isinstance(one.this, exp.Identifier) or not _is(one.this, path[1], dialect):
            continue
        if one.args.get("db") is None and dialect.key(path[1]) in named_by_itself:
            continue
        if dialect.key(one.db or home) == dialect.key(path[0]):
            found.append(one)
    return found


def _reworded(query: str, dialect: Dialect, changes: Callable[[Any], Iterator[tuple[Any, str]]]) -> str:
    """Return a query with other words in place of some names, all else as it is; one that can't be parsed stays."""
    import sqlglot
    from sqlglot.errors import SqlglotError

    if is_too_much(query):
        return query
    logging.getLogger("sqlglot").setLevel(logging.ERROR)
    try:
        tree = sqlglot.parse_one(query, dialect=dialect.parser or None)
        places = {(one.meta["start"], one.meta["end"] + 1): words for one, words in changes(tree)}
    except (SqlglotError, RecursionError, ValueError, LookupError, AttributeError, TypeError):
        return query
    for (start, end), words in sorted(places.items(), reverse=True):
        query = query[:start] + words + query[end:]
    return query
