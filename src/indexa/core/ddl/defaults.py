"""Defaults of one platform in the words of another; what is not known to mean the same there is none."""

from __future__ import annotations

import re

from indexa.core.ddl.targets import Target

_CAST = re.compile(r"::[\w \".]+(\(\d+(,\s*\d+)?\))?(\[\])?$")
_TEXT = re.compile(r"^N?'(?:[^']|'')*'$")
_NUMBER = re.compile(r"^[-+]?\d+(\.\d+)?$")
_NOW = frozenset({
    "now()", "current_timestamp", "current_timestamp()", "sysdate", "systimestamp", "getdate()", "sysdatetime()", "localtimestamp",
    "current timestamp", "current_timestamp(6)", "transaction_timestamp()", "sysdatetimeoffset()", "getutcdate()",
    "current_timestamp(3)", "current",
})  # fmt: skip
_TODAY = frozenset({"current_date", "current_date()", "today", "current date", "curdate()", "trunc(sysdate)"})
_TODAYS = {
    "sqlserver": "CAST(GETDATE() AS date)",
    "oracle": "TRUNC(SYSDATE)",
    "bigquery": "CURRENT_DATE()",
    "informix": "TODAY",
}


def translated_default(text: str, *, is_boolean: bool, target: Target) -> str | None:
    """Return a default in the words of a platform; None where it has no safe translation."""
    value = text.strip()
    while value.startswith("(") and value.endswith(")") and _encloses(value):
        value = value[1:-1].strip()
    bare = _CAST.sub("", value)
    low = bare.lower()
    if low in ("true", "false", "b'1'", "b'0'"):
        return target.true if low in ("true", "b'1'") else target.false
    if is_boolean and bare.strip("'").lower() in ("0", "1", "t", "f", "y", "n"):
        if bare.strip("'").lower() in ("y", "n"):
            return None
        return target.true if bare.strip("'").lower() in ("1", "t") else target.false
    if low in _NOW:
        return target.timestamp_now
    if low in _TODAY:
        return _TODAYS.get(target.name, "CURRENT_DATE")
    if low == "null":
        return None
    if _TEXT.match(bare):
        return bare.removeprefix("N")
    return bare if _NUMBER.match(bare) else None


def _encloses(text: str) -> bool:
    """Return whether the first bracket is closed by the last letter."""
    depth = 0
    for at, letter in enumerate(text):
        depth += (letter == "(") - (letter == ")")
        if depth == 0:
            return at == len(text) - 1
    return False
