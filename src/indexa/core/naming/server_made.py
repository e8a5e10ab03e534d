"""Names of keys, indexes and checks that a server made up because nobody gave one."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

_SHAPES: dict[str, re.Pattern[str]] = {
    "oracle": re.compile(r"SYS_(C|IL|AI|JI)[\w$]+"),
    "sqlserver": re.compile(r"(PK|UQ|FK|CK|DF)__\w+__[0-9A-F]{8,16}"),
    "db2": re.compile(r"SQL\d{15,18}"),
    "sqlite": re.compile(r"sqlite_autoindex_\w+_\d+"),
    "firebird": re.compile(r"(RDB\$|INTEG_)\w+"),
    "informix": re.compile(r"[ucrn]\d+_\d+"),
    "snowflake": re.compile(r"SYS_CONSTRAINT_[0-9a-fA-F-]+"),
}
"""By platform: names in which the server counts or hashes; from its documentation."""
_NAMELIKE = {"mysql", "mariadb"}
_POSTGRES_LIKE = {"postgresql", "greenplum", "redshift"}
_ENDINGS = {"primary key": "pkey", "unique key": "key", "foreign key": "fkey", "check": "check", "index": "idx"}
_LONGEST_POSTGRES = 63


def made_by_server(platform: str, kind: str, name: str, parts: Mapping[str, object]) -> bool:
    """Say whether a name is the one that the platform makes up for an object of this kind with these parts."""
    shape = _SHAPES.get(platform)
    if shape is not None:
        return shape.fullmatch(name) is not None
    table, columns = str(parts.get("table", "")), parts.get("columns")
    names = [str(one) for one in columns] if isinstance(columns, Sequence) and not isinstance(columns, str) else []
    if platform in _NAMELIKE:
        if kind == "primary key":
            return name == "PRIMARY"
        if kind in ("foreign key", "check"):
            return re.fullmatch(rf"{re.escape(table)}_(ibfk|chk)_\d+|CONSTRAINT_\d+", name) is not None
        return bool(names) and re.fullmatch(rf"{re.escape(names[0])}(_\d+)?", name) is not None
    if platform in _POSTGRES_LIKE and kind in _ENDINGS:
        return _as_postgres(table, [] if kind == "primary key" else names, _ENDINGS[kind], name)
    return False


def _as_postgres(table: str, columns: Sequence[str], ending: str, name: str) -> bool:
    """Table, columns and ending with underscores between them, table and columns cut where that is too long, a number behind."""
    number = re.fullmatch(rf"(.*_{ending})\d*", name)
    if number is None:
        return False
    body = number[1]
    if ending == "check" and not columns:  # a check tells no columns: whichever one stands between
        return body.startswith(f"{table}_") or body == f"{table}_{ending}"
    full = "_".join([table, *columns, ending])
    if body == full:
        return True
    middle = "_".join(columns)
    text = body[: -len(ending) - 1]
    return len(full) > _LONGEST_POSTGRES and any(
        table.startswith(text[:at]) and middle.startswith(text[at + 1 :]) for at in range(len(text)) if text[at] == "_"
    )
