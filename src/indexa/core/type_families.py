"""Types of all platforms, sorted into the families that people filter by."""

from __future__ import annotations

import re
from collections.abc import Mapping

_FAMILIES = {
    "number": "smallint integer int bigint tinyint mediumint hugeint uhugeint utinyint usmallint uinteger ubigint int1 int2 int3 int4 "
    "int8 int16 int32 int64 int128 int256 uint8 uint16 uint32 uint64 numeric decimal dec number real double float float4 float8 float16 "
    "float32 float64 money smallmoney oid decfloat byteint bignumeric bigdecimal binary_float binary_double pls_integer binary_integer "
    "serial bigserial smallserial serial8 fixed middleint",
    "text": "char character varchar text bpchar name citext nchar nvarchar varchar2 nvarchar2 ntext string clob nclob tinytext mediumtext "
    "longtext long lvarchar dbclob graphic vargraphic enum set sysname",
    "date and time": "date time timestamp timestamptz timetz datetime datetime2 smalldatetime datetimeoffset interval year "
    "timestamp_ntz timestamp_ltz timestamp_tz timestamp_s timestamp_ms timestamp_ns period",
    "yes or no": "boolean bool",
    "binary": "bytea bit varbit binary varbinary blob tinyblob mediumblob longblob image raw bytes bfile byte rowversion",
    "document": "json jsonb xml xmltype hstore tsvector tsquery ltree variant object struct map record super super_",
    "identifier": "uuid uniqueidentifier rowid urowid",
    "network": "inet cidr macaddr macaddr8 inet4 inet6",
    "place": "point line lseg box path polygon circle geometry geography linestring multipoint multilinestring multipolygon "
    "geometrycollection st_geometry sdo_geometry",
    "range": "int4range int8range numrange tsrange tstzrange daterange int4multirange",
    "list": "array varray",
}
_BY_NAME = {name: family for family, names in _FAMILIES.items() for name in names.split()}
_WORDS = re.compile(r"\w+")


def family(type_name: str, own: Mapping[str, str]) -> str:
    """Return the family of an exact type; `own` holds a platform's own words. "other" for a database's own types."""
    text = type_name.lower()
    if text.endswith("]") or text.startswith(("array<", "array(")):
        return "list"
    if text.startswith(("struct", "map", "row(")):
        return "document"
    if "." in text.split("(")[0]:
        return "other"
    words = _WORDS.findall(text.split("(", 1)[0]) or [""]
    if words[0] == "double" or (words[0] == "long" and words[1:2] in (["raw"], ["varbinary"])):
        return "number" if words[0] == "double" else "binary"
    if words[0] == "national":
        return "text"
    if words[0] in ("signed", "unsigned"):
        return "number"
    if "for" in text.split() and "bit data" in text:
        return "binary"
    return own.get(words[0]) or _BY_NAME.get(words[0], "other")


_SHORTER = (
    ("character varying", "varchar"),
    ("character(", "char("),
    ("timestamp with time zone", "timestamptz"),
    ("timestamp without time zone", "timestamp"),
    ("time with time zone", "timetz"),
    ("time without time zone", "time"),
    ("double precision", "float8"),
)


def shorten(type_name: str) -> str:
    """Word a type by the shorter names that SQL has for it, as in "varchar(24)" for "character varying(24)".

    A precision inside a time type is kept: "timestamp(3) with time zone" becomes "timestamptz(3)".
    """
    for long, short in (("timestamp", "timestamptz"), ("time", "timetz")):
        if type_name.startswith(f"{long}(") and " with time zone" in type_name:
            type_name = type_name.replace(long, short, 1).replace(" with time zone", "")
    for long, short in _SHORTER:
        type_name = type_name.replace(long, short)
    return type_name.replace(" without time zone", "")
