"""Queries that count the rows that would be in the way of a step, in words that every SQL platform here has."""

from __future__ import annotations

from collections.abc import Iterable

from indexa.core.ddl.names import Namer
from indexa.core.ddl.types import plain
from indexa.core.model import Column, ForeignKey
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.words import names_in

_WHOLE = {"tiny": 7, "small": 15, "integer": 31, "big": 63}
"""Bits of the whole numbers beside their sign."""
_TEXTS = frozenset({"varchar", "char", "text"})
_NUMBERS = frozenset({*_WHOLE, "decimal", "real", "double", "money"})


def empty_values(namer: Namer, path: str, column: str) -> str:
    """Return the query that counts rows without a value."""
    return f"SELECT COUNT(*) FROM {path} WHERE {namer.quoted(column)} IS NULL"


def any_rows(path: str) -> str:
    """Return the query that counts all rows."""
    return f"SELECT COUNT(*) FROM {path}"


def twice(namer: Namer, path: str, columns: tuple[str, ...]) -> str:
    """Return the query that counts values of a key that more than one row has."""
    names = namer.listed(columns)
    there = " AND ".join(f"{namer.quoted(name)} IS NOT NULL" for name in columns)
    return (
        f"SELECT COUNT(*) FROM (SELECT 1 AS one FROM {path} WHERE {there} GROUP BY {names} HAVING COUNT(*) > 1) twice"
    )


def without_parent(namer: Namer, child: str, parent: str, key: ForeignKey) -> str:
    """Return the query that counts rows whose parent is not there."""
    pairs = list(zip(key.columns, key.ref_columns, strict=False))
    there = " AND ".join(f"c.{namer.quoted(own)} IS NOT NULL" for own, _ in pairs)
    same = " AND ".join(f"p.{namer.quoted(theirs)} = c.{namer.quoted(own)}" for own, theirs in pairs)
    return f"SELECT COUNT(*) FROM {child} c WHERE {there} AND NOT EXISTS (SELECT 1 FROM {parent} p WHERE {same})"


def against(path: str, expression: str) -> str:
    """Return the query that counts rows that do not meet a condition."""
    return f"SELECT COUNT(*) FROM {path} WHERE NOT ({expression})"


def can_be_asked(expression: str, before: Iterable[Column], after: Iterable[Column], dialect: Dialect) -> bool:
    """Return whether the rows as they are can be asked for a condition on the later columns (in the later names on both sides).

    Of a column that is new, or of another type by then, they can't.
    """
    words = {dialect.key(name) for name in names_in(expression, dialect)}
    types = {column.name: column.type for column in before}
    return all(types.get(column.name) == column.type for column in after if dialect.key(column.name) in words)


def too_large(namer: Namer, path: str, before: Column, after: Column, platform: str) -> str:
    """Return the query that counts values that the new type can't hold; "" where it holds all, or nobody can say."""
    was, now = plain(before.type, platform), plain(after.type, platform)
    if was is None or now is None:
        return ""
    name = namer.quoted(before.name)
    if now.kind in _TEXTS and now.length > 0 and (was.kind not in _TEXTS or was.length < 0 or was.length > now.length):
        text = (
            name
            if was.kind in _TEXTS
            else f"CAST({name} AS VARCHAR(4000))"
            if platform != "mysql"
            else f"CAST({name} AS CHAR)"
        )
        length = (
            "LEN"
            if platform == "sqlserver"
            else "CHAR_LENGTH"
            if platform in ("mysql", "postgresql", "firebird")
            else "LENGTH"
        )
        return f"SELECT COUNT(*) FROM {path} WHERE {length}({text}) > {now.length}"
    if now.kind in _WHOLE and was.kind in _NUMBERS and (was.kind not in _WHOLE or _WHOLE[was.kind] > _WHOLE[now.kind]):
        most = 2 ** _WHOLE[now.kind] - 1
        return f"SELECT COUNT(*) FROM {path} WHERE {name} > {most} OR {name} < {-most - 1}"
    if now.kind == was.kind == "decimal" and now.length > 0:
        whole = now.length - max(now.scale, 0)
        if was.length < 0 or was.length - max(was.scale, 0) > whole:
            return f"SELECT COUNT(*) FROM {path} WHERE ABS({name}) >= 1{'0' * whole}"
    return ""


def fits_all(before: Column, after: Column, platform: str) -> bool:
    """Return whether every value of a type surely fits another, so that a change can't fail."""
    was, now = plain(before.type, platform), plain(after.type, platform)
    if was is None or now is None:
        return False
    if was.kind in _WHOLE and now.kind in _WHOLE:
        return _WHOLE[was.kind] <= _WHOLE[now.kind]
    if was.kind in _TEXTS and now.kind in _TEXTS:
        return now.length < 0 or 0 <= was.length <= now.length
    if was.kind == now.kind == "decimal" and was.length > 0 and now.length > 0:
        before_point, behind_point = was.length - max(was.scale, 0), max(was.scale, 0)
        return now.length - max(now.scale, 0) >= before_point and max(now.scale, 0) >= behind_point
    return was.kind == now.kind and (was.length, was.scale) == (now.length, now.scale)


def only_told(before: Column, after: Column, platform: str) -> bool:
    """Return whether a server notes a wider type without writing a row: as PostgreSQL does for texts, and numbers of one scale."""
    if platform != "postgresql" or not fits_all(before, after, platform):
        return False
    was, now = plain(before.type, platform), plain(after.type, platform)
    if was is None or now is None:
        return False
    return (was.kind in ("varchar", "text") and now.kind in ("varchar", "text")) or (
        was.kind == now.kind == "decimal" and was.scale == now.scale
    )
