"""PostgreSQL's SQL: quoting, types and defaults in the wording of its catalog."""

from __future__ import annotations

import re
from functools import lru_cache

from indexa.core.scripts.dialect import Dialect

_ALIASES = {
    "int": "integer", "int4": "integer", "int2": "smallint", "int8": "bigint", "float8": "double precision", "float4": "real",
    "bool": "boolean", "varchar": "character varying", "char": "character", "nchar": "character", "national character": "character",
    "national character varying": "character varying", "national char": "character", "char varying": "character varying",
    "decimal": "numeric", "dec": "numeric", "timestamp": "timestamp without time zone", "timestamptz": "timestamp with time zone",
    "time": "time without time zone", "timetz": "time with time zone", "varbit": "bit varying", "bpchar": "bpchar",
    "float": "double precision",
}  # fmt: skip
_PARTS = re.compile(r"^(?P<base>[^(\[]+)(?:(?P<arguments>\([^)]*\))(?P<rest>[^\[(]*))?(?P<array>(?:\s*\[\d*\])*)$")
_ARRAY_WORD = re.compile(r"\s+array(?:\s*\[\d*\])?$", re.I)


@lru_cache(maxsize=4096)
def canonical_type(text: str) -> str:
    """Word a type as format_type does: "varchar(24)" becomes "character varying(24)"."""
    if _ARRAY_WORD.search(text):
        text = _ARRAY_WORD.sub("", text) + "[]"
    text = re.sub(r"^(?:pg_catalog|information_schema)\s*\.\s*", "", text, flags=re.I)
    found = _PARTS.match(text)
    if text == '"char"':  # a type of its own, and no character
        return text
    if found is None or text.startswith('"'):
        return text.replace('"', "") if re.fullmatch(r'"[a-z_][a-z0-9_]*"(\.[a-z0-9_"]+)?', text) else text
    base = " ".join(found["base"].lower().split()) if '"' not in found["base"] else found["base"]
    arguments = (found["arguments"] or "").replace(" ", "").lower()
    rest = " ".join((found["rest"] or "").lower().split())
    array = "[]" if found["array"] else ""  # of any number of dimensions
    return _worded(base, arguments, rest) + array


def _worded(base: str, arguments: str, rest: str) -> str:
    for stem in ("timestamp", "time"):
        if base in (stem, f"{stem} with time zone", f"{stem} without time zone", f"{stem}tz"):
            with_zone = base.endswith("tz") or "with time zone" in (base, rest) or base.endswith("with time zone")
            return f"{stem}{arguments} with{'' if with_zone else 'out'} time zone"
    if base == "float" and arguments[1:-1].isdecimal():
        return "real" if int(arguments[1:-1]) <= 24 else "double precision"
    if base.startswith("interval"):
        return " ".join(part for part in (base, rest) if part) + arguments
    base = _ALIASES.get(base, base)
    if base in ("character", "bit") and not arguments:
        arguments = "(1)"
    if base == "numeric" and arguments and "," not in arguments:
        arguments = arguments[:-1] + ",0)"
    return f"{base}{arguments}{' ' + rest if rest else ''}"


_TRUTHS = {"t": "true", "true": "true", "1": "true", "yes": "true", "y": "true", "on": "true"} | dict.fromkeys(
    ("f", "false", "0", "no", "n", "off"), "false"
)
_NUMBER = re.compile(r"-?\d+(\.\d+)?$")
_PLAIN_WORDS = {
    "true",
    "false",
    "current_timestamp",
    "current_date",
    "current_user",
    "current_time",
    "session_user",
    "localtimestamp",
}


def canonical_default(text: str, type_: str) -> str:
    """Word a default as the catalog does, where that is certain: a bare string gets its column's type."""
    if text.startswith("'") and text.endswith("'") and text.count("'") == 2 + 2 * text[1:-1].count("''"):
        base = re.sub(r"\([^)]*\)", "", type_)
        message = text[1:-1]
        if base in ("smallint", "integer", "bigint", "numeric", "real", "double precision") and re.fullmatch(
            r"\d+(\.\d+)?", message
        ):
            return message
        if base == "boolean" and message.lower() in _TRUTHS:
            return _TRUTHS[message.lower()]
        return f"{text}::{base}"
    if text.upper() in {word.upper() for word in _PLAIN_WORDS}:
        return text.upper() if text.lower().startswith(("current", "session", "local")) else text.lower()
    if text.startswith("(") and text.endswith(")") and _NUMBER.match(text[1:-1].strip()):
        text = text[1:-1].strip()
    if _NUMBER.match(text) and text.startswith("-"):
        return f"'{text}'::{'numeric' if '.' in text else 'integer'}"
    if re.fullmatch(r"nextval\s*\(\s*'[^']+'::text\s*\)", text, re.I):
        return re.sub(r"^nextval\s*\(\s*('[^']+'::text)\s*\)$", r"nextval((\1)::regclass)", text, flags=re.I)
    if re.fullmatch(r"[A-Za-z_]\w*\(\)", text):
        return text.lower()
    return text


DIALECT = Dialect(
    name="postgresql",
    fold="lower",
    case_matters=True,
    default_schema="public",
    dollar_quotes=True,
    nested_comments=True,
    commands=r"\\",
    serials={
        "serial": "integer", "serial4": "integer", "bigserial": "bigint", "serial8": "bigint", "smallserial": "smallint", "serial2": "smallint",
    },
    canonical_type=canonical_type,
    canonical_default=canonical_default,
    names_constraints="postgresql",
    queries_follow_names=True,
    merges_twin_keys=True,
    nicknames=("postgres", "pgsql", "pg"),
    signs=(
        (r"^\\(?:connect|restrict|\.|c\b)", 5), (r"\bPostgreSQL database dump\b", 20), (r"\bOWNER TO\b", 4), (r"::\w", 4), (r"\bFROM stdin;", 10),
        (r"\bserial\b|\bbigserial\b", 4), (r"\btimestamptz\b|\bjsonb\b|\bbytea\b", 4), (r"\$\w*\$", 4), (r"\bplpgsql\b", 6),
        (r"\bpg_catalog\b", 5), (r"\bSET search_path\b", 5), (r"\bCREATE EXTENSION\b", 5), (r"\bnextval\('", 4), (r"`", -6),
        (r"character varying", 2), (r"\btimestamp with(?:out)? time zone\b", 1), (r"\bCREATE TYPE \S+ AS ENUM\b", 5), (r"\bCREATE DOMAIN\b", 2),
        (r"\bUSING (?:btree|gin|gist|brin)\b", 5),
    ),
    parser="postgres",
)  # fmt: skip
