"""Types of one platform in the words of another, by a table of plain kinds; what can't be held as it is, is told.

A type is first taken for one of a few kinds with length, precision and scale; each platform then says how it writes that
kind. The table is the documentation: `docs/types.md` is made from it.
"""

from __future__ import annotations

import re

import msgspec

_ARGUMENTS = re.compile(r"^(?P<head>[^(]*)(?:\((?P<inner>[^()]*)\))?(?P<tail>.*)$", re.DOTALL)


class Plain(msgspec.Struct, frozen=True):
    """A type as a kind with its measures; -1 stands for none given."""

    kind: str
    length: int = -1
    scale: int = -1


class Written(msgspec.Struct, frozen=True):
    """A type in a platform's words, and what is lost by it, in words for people ("" for nothing)."""

    text: str
    lost: str = ""


_WORDS: dict[str, str] = {
    "smallint": "small", "int2": "small", "tinyint": "tiny", "integer": "integer", "int": "integer", "int4": "integer",
    "mediumint": "integer", "bigint": "big", "int8": "big", "int64": "big", "hugeint": "huge", "numeric": "decimal",
    "decimal": "decimal", "dec": "decimal", "number": "decimal", "bignumeric": "decimal", "real": "real", "float4": "real",
    "float": "double", "double": "double", "double precision": "double", "float8": "double", "float64": "double",
    "binary_double": "double", "binary_float": "real", "money": "money", "smallmoney": "money", "boolean": "boolean",
    "bool": "boolean", "bit": "boolean", "char": "char", "character": "char", "nchar": "char", "bpchar": "char",
    "varchar": "varchar", "character varying": "varchar", "varchar2": "varchar", "nvarchar": "varchar", "nvarchar2": "varchar",
    "string": "text", "text": "text", "clob": "text", "nclob": "text", "longtext": "text", "mediumtext": "text",
    "tinytext": "text", "ntext": "text", "citext": "text", "lvarchar": "varchar", "date": "date", "time": "time",
    "time without time zone": "time", "time with time zone": "time", "timetz": "time", "timestamp": "timestamp",
    "timestamp without time zone": "timestamp", "datetime": "timestamp", "datetime2": "timestamp",
    "smalldatetime": "timestamp", "timestamp_ntz": "timestamp", "timestamp with time zone": "instant",
    "timestamptz": "instant", "datetimeoffset": "instant", "timestamp_tz": "instant", "timestamp_ltz": "instant",
    "timestamp with local time zone": "instant", "interval": "interval", "bytea": "binary", "blob": "binary",
    "longblob": "binary", "mediumblob": "binary", "bytes": "binary", "binary": "binary", "varbinary": "binary",
    "image": "binary", "raw": "binary", "uuid": "uuid", "uniqueidentifier": "uuid", "json": "json", "jsonb": "json",
    "variant": "json", "object": "json", "xml": "xml", "xmltype": "xml", "serial": "integer", "bigserial": "big",
    "serial8": "big", "year": "small", "byte": "binary", "byteint": "tiny",
}  # fmt: skip
"""What the first words of a type stand for, in small letters."""

_P = "({length})"
_PS = "({length},{scale})"
TABLE: dict[str, dict[str, str]] = {
    "postgresql": {
        "tiny": "smallint", "small": "smallint", "integer": "integer", "big": "bigint", "huge": "numeric(39)",
        "decimal": f"numeric{_PS}", "real": "real", "double": "double precision", "money": "numeric(19, 4)", "boolean": "boolean",
        "char": f"character{_P}", "varchar": f"character varying{_P}", "text": "text", "date": "date",
        "time": "time without time zone", "timestamp": "timestamp without time zone", "instant": "timestamp with time zone",
        "interval": "interval", "binary": "bytea", "uuid": "uuid", "json": "jsonb", "xml": "xml",
    },
    "mysql": {
        "tiny": "tinyint", "small": "smallint", "integer": "int", "big": "bigint", "huge": "decimal(39)",
        "decimal": f"decimal{_PS}", "real": "float", "double": "double", "money": "decimal(19, 4)", "boolean": "tinyint(1)",
        "char": f"char{_P}", "varchar": f"varchar{_P}", "text": "longtext", "date": "date", "time": "time",
        "timestamp": "datetime(6)", "instant": "datetime(6)!the time zone", "interval": "varchar(60)!as text", "binary": "longblob",
        "uuid": "char(36)!as text", "json": "json", "xml": "longtext!as text",
    },
    "sqlite": {
        "tiny": "INTEGER", "small": "INTEGER", "integer": "INTEGER", "big": "INTEGER", "huge": "NUMERIC", "decimal": f"NUMERIC{_PS}",
        "real": "REAL", "double": "REAL", "money": "NUMERIC(19, 4)", "boolean": "BOOLEAN", "char": f"CHAR{_P}",
        "varchar": f"VARCHAR{_P}", "text": "TEXT", "date": "DATE", "time": "TIME", "timestamp": "TIMESTAMP", "instant": "TIMESTAMP!the time zone",
        "interval": "TEXT!as text", "binary": "BLOB", "uuid": "TEXT!as text", "json": "TEXT!as text", "xml": "TEXT!as text",
    },
    "duckdb": {
        "tiny": "TINYINT", "small": "SMALLINT", "integer": "INTEGER", "big": "BIGINT", "huge": "HUGEINT", "decimal": f"DECIMAL{_PS}",
        "real": "FLOAT", "double": "DOUBLE", "money": "DECIMAL(19,4)", "boolean": "BOOLEAN", "char": "VARCHAR!the length",
        "varchar": "VARCHAR!the length", "text": "VARCHAR", "date": "DATE", "time": "TIME", "timestamp": "TIMESTAMP",
        "instant": "TIMESTAMP WITH TIME ZONE", "interval": "INTERVAL", "binary": "BLOB", "uuid": "UUID", "json": "JSON", "xml": "VARCHAR!as text",
    },
    "firebird": {
        "tiny": "SMALLINT", "small": "SMALLINT", "integer": "INTEGER", "big": "BIGINT", "huge": "NUMERIC(18, 0)!values beyond 18 digits",
        "decimal": f"NUMERIC{_PS}", "real": "FLOAT", "double": "DOUBLE PRECISION", "money": "NUMERIC(18, 4)", "boolean": "BOOLEAN",
        "char": f"CHAR{_P}", "varchar": f"VARCHAR{_P}", "text": "BLOB SUB_TYPE TEXT", "date": "DATE", "time": "TIME",
        "timestamp": "TIMESTAMP", "instant": "TIMESTAMP!the time zone", "interval": "VARCHAR(60)!as text", "binary": "BLOB SUB_TYPE BINARY",
        "uuid": "CHAR(36)!as text", "json": "BLOB SUB_TYPE TEXT!as text", "xml": "BLOB SUB_TYPE TEXT!as text",
    },
    "sqlserver": {
        "tiny": "smallint", "small": "smallint", "integer": "int", "big": "bigint", "huge": "decimal(38)!values beyond 38 digits",
        "decimal": f"decimal{_PS}", "real": "real", "double": "float", "money": "decimal(19, 4)", "boolean": "bit", "char": f"nchar{_P}",
        "varchar": f"nvarchar{_P}", "text": "nvarchar(max)", "date": "date", "time": "time", "timestamp": "datetime2",
        "instant": "datetimeoffset", "interval": "nvarchar(60)!as text", "binary": "varbinary(max)", "uuid": "uniqueidentifier",
        "json": "nvarchar(max)!as text", "xml": "xml",
    },
    "oracle": {
        "tiny": "NUMBER(3)", "small": "NUMBER(5)", "integer": "NUMBER(10)", "big": "NUMBER(19)", "huge": "NUMBER(38)!values beyond 38 digits",
        "decimal": f"NUMBER{_PS}", "real": "BINARY_FLOAT", "double": "BINARY_DOUBLE", "money": "NUMBER(19, 4)", "boolean": "NUMBER(1)",
        "char": "CHAR({length} CHAR)", "varchar": "VARCHAR2({length} CHAR)", "text": "CLOB", "date": "DATE", "time": "INTERVAL DAY(0) TO SECOND(6)",
        "timestamp": "TIMESTAMP(6)", "instant": "TIMESTAMP(6) WITH TIME ZONE", "interval": "INTERVAL DAY(9) TO SECOND(6)",
        "binary": "BLOB", "uuid": "RAW(16)!as bytes", "json": "CLOB!as text", "xml": "XMLTYPE",
    },
    "db2": {
        "tiny": "SMALLINT", "small": "SMALLINT", "integer": "INTEGER", "big": "BIGINT", "huge": "DECIMAL(31, 0)!values beyond 31 digits",
        "decimal": f"DECIMAL{_PS}", "real": "REAL", "double": "DOUBLE", "money": "DECIMAL(19, 4)", "boolean": "BOOLEAN", "char": f"CHAR{_P}",
        "varchar": f"VARCHAR{_P}", "text": "CLOB(1G)", "date": "DATE", "time": "TIME", "timestamp": "TIMESTAMP(6)",
        "instant": "TIMESTAMP(6)!the time zone", "interval": "VARCHAR(60)!as text", "binary": "BLOB(1G)", "uuid": "CHAR(36)!as text",
        "json": "CLOB(1G)!as text", "xml": "XML",
    },
    "snowflake": {
        "tiny": "NUMBER(3, 0)", "small": "NUMBER(5, 0)", "integer": "NUMBER(10, 0)", "big": "NUMBER(19, 0)", "huge": "NUMBER(38, 0)",
        "decimal": f"NUMBER{_PS}", "real": "FLOAT", "double": "FLOAT", "money": "NUMBER(19, 4)", "boolean": "BOOLEAN", "char": f"CHAR{_P}",
        "varchar": f"VARCHAR{_P}", "text": "VARCHAR", "date": "DATE", "time": "TIME", "timestamp": "TIMESTAMP_NTZ", "instant": "TIMESTAMP_TZ",
        "interval": "VARCHAR(60)!as text", "binary": "BINARY", "uuid": "VARCHAR(36)!as text", "json": "VARIANT", "xml": "VARIANT",
    },
    "bigquery": {
        "tiny": "INT64", "small": "INT64", "integer": "INT64", "big": "INT64", "huge": "BIGNUMERIC", "decimal": f"NUMERIC{_PS}",
        "real": "FLOAT64", "double": "FLOAT64", "money": "NUMERIC(19, 4)", "boolean": "BOOL", "char": f"STRING{_P}", "varchar": f"STRING{_P}",
        "text": "STRING", "date": "DATE", "time": "TIME", "timestamp": "DATETIME", "instant": "TIMESTAMP", "interval": "INTERVAL",
        "binary": "BYTES", "uuid": "STRING(36)!as text", "json": "JSON", "xml": "STRING!as text",
    },
    "teradata": {
        "tiny": "BYTEINT", "small": "SMALLINT", "integer": "INTEGER", "big": "BIGINT", "huge": "NUMBER(38, 0)!values beyond 38 digits",
        "decimal": f"DECIMAL{_PS}", "real": "FLOAT", "double": "FLOAT", "money": "DECIMAL(19, 4)", "boolean": "BYTEINT", "char": f"CHAR{_P}",
        "varchar": f"VARCHAR{_P}", "text": "CLOB", "date": "DATE", "time": "TIME(6)", "timestamp": "TIMESTAMP(6)",
        "instant": "TIMESTAMP(6) WITH TIME ZONE", "interval": "INTERVAL DAY(4) TO SECOND(6)", "binary": "BLOB", "uuid": "CHAR(36)!as text",
        "json": "JSON", "xml": "XML",
    },
    "informix": {
        "tiny": "SMALLINT", "small": "SMALLINT", "integer": "INTEGER", "big": "BIGINT", "huge": "DECIMAL(32, 0)!values beyond 32 digits",
        "decimal": f"DECIMAL{_PS}", "real": "SMALLFLOAT", "double": "FLOAT", "money": "DECIMAL(19, 4)", "boolean": "BOOLEAN", "char": f"CHAR{_P}",
        "varchar": f"LVARCHAR{_P}", "text": "TEXT", "date": "DATE", "time": "DATETIME HOUR TO FRACTION(5)",
        "timestamp": "DATETIME YEAR TO FRACTION(5)", "instant": "DATETIME YEAR TO FRACTION(5)!the time zone",
        "interval": "INTERVAL DAY(9) TO FRACTION(5)", "binary": "BYTE", "uuid": "CHAR(36)!as text", "json": "JSON", "xml": "TEXT!as text",
    },
}  # fmt: skip
"""By platform and kind: the words, with what is lost after an exclamation mark."""
TABLE["greenplum"] = TABLE["postgresql"]
TABLE["redshift"] = TABLE["postgresql"] | {
    "text": "character varying(65535)", "binary": "varbyte", "uuid": "character(36)!as text", "json": "super", "xml": "character varying(65535)!as text",
    "huge": "numeric(38)!values beyond 38 digits", "interval": "character varying(60)!as text",
}  # fmt: skip

_MOST_DIGITS = {"mysql": 65, "oracle": 38, "sqlserver": 38, "db2": 31, "firebird": 18, "snowflake": 38, "teradata": 38, "informix": 32,
                "redshift": 38, "duckdb": 38, "bigquery": 38}  # fmt: skip
_MOST_LETTERS = {"oracle": 4_000, "sqlserver": 4_000, "db2": 32_672, "firebird": 8_191, "redshift": 65_535, "mysql": 16_383,
                 "teradata": 32_000, "informix": 32_739}  # fmt: skip
_LENGTH_OF_NUMBER = {
    1: "tiny",
    2: "tiny",
    3: "small",
    4: "small",
    5: "integer",
    6: "integer",
    7: "integer",
    8: "integer",
    9: "integer",
}


def plain(text: str, platform: str = "") -> Plain | None:
    """Take a type for one of the kinds; None for one that is a database's own, or a list."""
    text = " ".join(text.split())
    if text.endswith("]") or "<" in text:
        return None
    found = _ARGUMENTS.match(text)
    assert found is not None
    head, inner, tail = found["head"].strip().lower(), found["inner"], found["tail"].strip().lower()
    words = f"{head} {tail}".strip()
    for sign in ("unsigned", "zerofill", "signed", "national"):
        words = " ".join(word for word in words.split() if word != sign)
    kind = _WORDS.get(words) or _WORDS.get(words.split(" ")[0] if words else "")
    if kind is None:
        return None
    if words.startswith("interval") or (platform == "bigquery" and words == "timestamp"):
        kind = "interval" if words.startswith("interval") else "instant"
    if platform == "oracle" and words == "date":
        kind = "timestamp"
    if words == "bit varying" or (words == "bit" and inner and inner.strip() != "1" and platform != "sqlserver"):
        return None
    numbers = [int(one) for one in re.findall(r"-?\d+", inner or "")]
    length, scale = [*numbers, -1, -1][:2]
    if words == "tinyint" and length == 1:
        return Plain("boolean")
    if kind == "decimal" and platform in ("oracle", "snowflake") and scale <= 0 and 0 < length <= 18:
        return Plain(_LENGTH_OF_NUMBER.get(length, "big"), -1, -1) if length != 38 else Plain("huge")
    if inner and inner.strip().lower() == "max":
        return Plain("binary" if kind == "binary" else "text")
    if kind in ("char", "varchar"):
        if length < 0:
            return Plain("char", 1) if kind == "char" else Plain("text")
        return Plain(kind, length)
    if kind == "decimal":
        return Plain(kind, length, scale)
    return Plain(kind)


def in_words_of(platform: str, one: Plain) -> Written:
    """Write a kind as a platform has it."""
    text, _, lost = TABLE[platform][one.kind].partition("!")
    if one.kind == "decimal":
        most = _MOST_DIGITS.get(platform, 1_000)
        if one.length > most:
            scale = min(max(one.scale, 0), most)
            return Written(text.format(length=most, scale=scale), f"values beyond {most} digits")
        if one.length < 0:
            return Written(_unbounded(platform, text))
        if one.scale < 0:
            text = text.replace(",{scale}", "")
    if one.kind in ("char", "varchar") and one.length > _MOST_LETTERS.get(platform, one.length):
        return Written(TABLE[platform]["text"].partition("!")[0])
    return Written(text.format(length=one.length, scale=one.scale), lost)


def _unbounded(platform: str, text: str) -> str:
    """Return the number type without measures, or with generous ones where they are needed to keep decimals."""
    name = text.split("(")[0]
    if platform in ("postgresql", "greenplum", "oracle", "sqlite", "teradata"):
        return "NUMBER" if platform == "teradata" else name
    return {"duckdb": "DOUBLE", "bigquery": "BIGNUMERIC"}.get(
        platform, f"{name}({min(_MOST_DIGITS[platform], 31)}, 10)"
    )


_TEXT_IS_LARGE = frozenset({"mysql", "oracle", "sqlserver", "db2", "firebird", "teradata", "informix"})
"""Platforms whose type for texts of any length can't be part of a key or an index."""
_IN_KEYS = 255


def translated(text: str, begin: str, end: str, *, in_key: bool = False) -> Written | None:
    """Return a type of platform `begin` (or of none) in the words of platform `end`; None where it has no kind.

    `in_key`: whether a key or index is made of it, so that a text needs a length where it would have none.
    """
    if begin == end:
        return Written(text)
    one = plain(text, begin)
    if in_key and one is not None and one.kind == "text" and end in _TEXT_IS_LARGE:
        short = in_words_of(end, Plain("varchar", _IN_KEYS))
        return Written(short.text, f"letters beyond {_IN_KEYS}, since a key is made of it")
    return in_words_of(end, one) if one else None
