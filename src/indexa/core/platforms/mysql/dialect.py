"""The SQL of MariaDB and MySQL: quoting, types and defaults in the wording of their catalogs."""

from __future__ import annotations

import re
from functools import lru_cache

from indexa.core.scripts.dialect import Dialect

_ALIASES = {
    "integer": "int", "int4": "int", "int1": "tinyint", "int2": "smallint", "int3": "mediumint", "middleint": "mediumint", "int8": "bigint",
    "bool": "tinyint(1)", "boolean": "tinyint(1)", "numeric": "decimal", "dec": "decimal", "fixed": "decimal",
    "double precision": "double", "real": "double", "float4": "float", "float8": "double", "character varying": "varchar", "character": "char",
    "nchar": "char", "national char": "char", "national varchar": "varchar", "nvarchar": "varchar", "long": "mediumtext",
    "long varchar": "mediumtext", "long varbinary": "mediumblob", "serial": "bigint unsigned", "char varying": "varchar",
    "national character varying": "varchar", "character large object": "longtext",
}  # fmt: skip
_USUAL_WIDTHS = {
    "tinyint": ("(4)", "(3)"), "smallint": ("(6)", "(5)"), "mediumint": ("(9)", "(8)"), "int": ("(11)", "(10)"), "bigint": ("(20)", "(20)"),
    "year": ("(4)", "(4)"),
}  # fmt: skip
_PARTS = re.compile(
    r"^([a-z][a-z0-9 ]*?)\s*(\(.*\))?\s*((?:unsigned|signed|zerofill|binary|ascii|unicode|\s)*)$", re.I | re.S
)


_MEMBER = re.compile(r"""'(?:[^'\\]|\\.|'')*'|"((?:[^"\\]|\\.|"")*)\"""")


def _in_single_quotes(member: re.Match[str]) -> str:
    if member[1] is None:
        return member[0]
    return "'" + member[1].replace('""', '"').replace("'", "''") + "'"


@lru_cache(maxsize=4096)
def canonical_type(text: str) -> str:
    """Word a type as COLUMN_TYPE does, without the display width that says nothing: int(11) becomes int."""
    found = _PARTS.match(text.strip())
    if found is None:
        return text
    base, arguments, flags = " ".join(found[1].lower().split()), found[2] or "", found[3].lower().split()
    while base.split()[-1] in ("unsigned", "signed", "zerofill") and " " in base:
        base, flag = base.rsplit(" ", 1)
        flags.insert(0, flag)
    base = _ALIASES.get(base, base)
    if base in ("enum", "set"):
        return base + re.sub(r"'\s*,\s*'", "','", _MEMBER.sub(_in_single_quotes, arguments))
    if base == "bigint unsigned" and not arguments:
        base, flags = "bigint", [*flags, "unsigned"]
    arguments = arguments.replace(" ", "")
    unsigned, zerofill = "unsigned" in flags or "zerofill" in flags, "zerofill" in flags
    if base in _USUAL_WIDTHS and not zerofill and arguments == _USUAL_WIDTHS[base][unsigned]:
        arguments = ""
    if base in _USUAL_WIDTHS and zerofill:
        arguments = arguments or _USUAL_WIDTHS[base][1]
    if base == "decimal":
        arguments = arguments or "(10,0)"
        arguments = arguments if "," in arguments else arguments[:-1] + ",0)"
    if base in ("text", "blob") and arguments[1:-1].isdecimal():
        base, arguments = _room_for(int(arguments[1:-1]), base), ""
    if base in ("char", "binary", "bit") and not arguments:
        arguments = "(1)"
    if base == "float" and arguments[1:-1].isdecimal():
        base, arguments = ("float" if int(arguments[1:-1]) <= 24 else "double"), ""
    return base + arguments + (" unsigned" if unsigned else "") + (" zerofill" if zerofill else "")


def _room_for(length: int, base: str) -> str:
    """Return the smallest type that holds so many letters, of four bytes each, or bytes."""
    size = length * 4 if base == "text" else length
    return next(
        (f"{name}{base}" for name, most in (("tiny", 2**8), ("", 2**16), ("medium", 2**24)) if size < most),
        f"long{base}",
    )


_NOW = re.compile(r"^(?:current_timestamp|now|localtime|localtimestamp)\s*(?:\(\s*(\d*)\s*\))?$", re.I)


def canonical_default(text: str, type_: str) -> str:
    """Word a default as COLUMN_DEFAULT does: the clock as current_timestamp(), bits and numbers as they are."""
    if found := _NOW.match(text.strip()):
        holds = re.fullmatch(r"(?:datetime|timestamp)(?:\((\d)\))?", type_)
        digits = min(found[1] or holds[1] or "", holds[1] or "") if holds else found[1]
        return f"current_timestamp({digits or ''})"
    if text.upper() in ("TRUE", "FALSE"):
        text = "1" if text.upper() == "TRUE" else "0"
    if bits := _BITS.fullmatch(text):
        number = int(bits[1] or bits[2] or text, 2 if bits[1] or bits[2] else 10)
        if type_.startswith("bit("):
            return f"b'{number:b}'"
        return str(number) if type_.split("(")[0].split()[0] in _WHOLE_NUMBERS else text
    if text.startswith('"') and text.endswith('"'):
        text = "'" + text[1:-1].replace('""', '"').replace("'", "''") + "'"
    inner = text[1:-1]
    if text[:1] == "'" and re.fullmatch(r"-?\d+(\.\d+)?", inner) and type_.split("(")[0].split()[0] in _NUMBERS:
        digits = re.match(r"(?:decimal|double|float)\(\d+,(\d+)\)", type_)
        return f"{float(inner):.{digits[1]}f}" if digits else inner
    if (parts := _PARTS_OF_SECONDS.fullmatch(type_)) and (moment := _MOMENT.fullmatch(inner)) and text[:1] == "'":
        return f"'{moment[1]}.{(moment[2] or '').ljust(int(parts[1]), '0')[: int(parts[1])]}'"
    digits = re.match(r"(?:decimal|double|float)\(\d+,(\d+)\)", type_)
    if digits and re.fullmatch(r"-?\d+(\.\d+)?", text) and len(text) < 15:
        return f"{float(text):.{digits[1]}f}"
    return text


_WHOLE_NUMBERS = frozenset(["tinyint", "smallint", "mediumint", "int", "bigint"])
_NUMBERS = _WHOLE_NUMBERS | {"decimal", "float", "double"}
_BITS = re.compile(r"[bB]'([01]+)'|0b([01]+)|\d+")
_PARTS_OF_SECONDS = re.compile(r"(?:time|datetime|timestamp)\(([1-6])\)")
_MOMENT = re.compile(r"((?:\d{4}-\d\d-\d\d )?\d\d:\d\d:\d\d)(?:\.(\d+))?")

DIALECT = Dialect(
    name="mysql",
    query_keeps=frozenset({"not null", "default", "comment"}),
    routines_share_names=False,
    keys_lose_columns=True,
    identifier_quotes='`"',
    double_quoted_strings=True,
    backslash=True,
    hash_comments=True,
    conditional_comments=True,
    inline_indexes=True,
    unique_index_is_key=True,
    use_names_schema=True,
    restrict_is_no_action=True,
    view_columns_keep_comments=True,
    commands=r"DELIMITER\b|source\s|\\\.|USE\s+`?\w+`?\s*$",
    identity_types=frozenset({"serial"}),
    canonical_type=canonical_type,
    canonical_default=canonical_default,
    names_constraints="mysql",
    nicknames=("mysql", "mariadb"),
    signs=(
        (r"\bENGINE\s*=\s*\w+", 10), (r"`\w+`", 3), (r"\bAUTO_INCREMENT\b", 5), (r"/\*!\d{5}", 10), (r"^DELIMITER\b", 5), (r"\bunsigned\b", 3),
        (r"\b(?:MySQL|MariaDB) dump\b", 20), (r"\bDEFAULT CHARSET\b", 5), (r"\b(?:tiny|medium|long)text\b", 3), (r"::\w", -4),
        (r"^\s*(?:UNIQUE )?KEY\s+\w+\s*\(", 3), (r'^\s*"\w+"\s+\w', -3),
    ),
    parser="mysql",
)  # fmt: skip
