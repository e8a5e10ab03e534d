"""DuckDB's SQL: PostgreSQL's forms, its own words for types."""

from __future__ import annotations

import re
from functools import lru_cache

from indexa.core.scripts.dialect import Dialect

_ALIASES = {
    "int": "INTEGER", "int4": "INTEGER", "signed": "INTEGER", "integral": "INTEGER", "int8": "BIGINT", "long": "BIGINT", "int64": "BIGINT",
    "int2": "SMALLINT", "short": "SMALLINT", "int16": "SMALLINT", "int1": "TINYINT", "int32": "INTEGER", "text": "VARCHAR", "string": "VARCHAR",
    "char": "VARCHAR", "character": "VARCHAR", "nchar": "VARCHAR",
    "bpchar": "VARCHAR", "character varying": "VARCHAR", "nvarchar": "VARCHAR", "bool": "BOOLEAN", "logical": "BOOLEAN",
    "float4": "FLOAT", "real": "FLOAT", "float8": "DOUBLE", "double precision": "DOUBLE", "numeric": "DECIMAL", "dec": "DECIMAL", "bytea": "BLOB",
    "binary": "BLOB", "varbinary": "BLOB", "datetime": "TIMESTAMP", "timestamptz": "TIMESTAMP WITH TIME ZONE", "timetz": "TIME WITH TIME ZONE",
    "bitstring": "BIT", "guid": "UUID",
}  # fmt: skip


_NESTED = re.compile(r"^(struct|row|map|union|array)\s*\((.*)\)((?:\[\d*\])*)$", re.I | re.S)


_BETWEEN = re.compile(r"('(?:[^']|'')*')|\s*,\s*")


@lru_cache(maxsize=4096)
def canonical_type(text: str) -> str:
    """Word a type as duckdb_columns() does: lengths of text say nothing there and are left out."""
    if text[:5].lower() == "enum(":
        return "ENUM" + _BETWEEN.sub(lambda found: found[1] or ", ", text[4:])
    nested = _NESTED.match(text)
    if nested:
        kind = {"ROW": "STRUCT"}.get(nested[1].upper(), nested[1].upper())
        named = kind in ("STRUCT", "UNION")
        members = ", ".join(_member(part.strip(), named=named) for part in _members(nested[2]))
        return f"{kind}({members}){nested[3]}"
    found = re.match(r"^([A-Za-z0-9_ ]+?)\s*(\([\d, ]*\))?((?:\[\d*\])*)$", text)
    if found is None:
        return text
    base, arguments, array = " ".join(found[1].split()), (found[2] or "").replace(" ", ""), found[3]
    word = _ALIASES.get(base.lower(), base.upper())
    if word == "VARCHAR":
        arguments = ""
    if word == "DECIMAL":
        arguments = arguments or "(18,3)"
        arguments = arguments if "," in arguments else arguments[:-1] + ",0)"
    return word + arguments + array


def _members(text: str) -> list[str]:
    parts, depth, start = [], 0, 0
    for at, letter in enumerate(text):
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if letter == "," and not depth:
            parts.append(text[start:at])
            start = at + 1
    return [*parts, text[start:]]


def _member(part: str, *, named: bool) -> str:
    name, _, type_ = part.partition(" ")
    return f"{name} {canonical_type(type_)}" if named and type_ else canonical_type(part)


DIALECT = Dialect(
    name="duckdb",
    default_schema="main",
    dollar_quotes=True,
    nested_comments=True,
    commands=r"\.\w",
    canonical_type=canonical_type,
    names_constraints="duckdb",
    indexes_keep_order=False,
    restrict_is_no_action=True,
    views_spell_as_tables=True,
    index_method="art",
    nicknames=("duckdb",),
    signs=(
        (r"\bHUGEINT\b|\bUTINYINT\b|\bUBIGINT\b", 10), (r"\bread_(?:csv|parquet)", 10), (r"\bINSTALL \w+;", 8), (r"\bSTRUCT\s*\(", 6),
        (r"\bTIMESTAMP_(?:S|MS|NS)\b", 8), (r"\bOWNER TO\b", -8), (r"\bCREATE (?:OR REPLACE )?MACRO\b", 5),
    ),
    parser="duckdb",
)  # fmt: skip
