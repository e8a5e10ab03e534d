"""What a column's type means to forms that know few types: whole number, exact or floating number, day, moment, text and so on."""

from __future__ import annotations

import re
from typing import Literal, NamedTuple, TypeAlias

from indexa.core.type_families import family

Name: TypeAlias = Literal[
    "integer", "decimal", "number", "boolean", "date", "time", "datetime", "string", "binary", "object", "array"
]
_INTEGERS = re.compile(
    r"^(?:big|small|medium|tiny|huge)?(?:int|integer|serial)\w*|^(?:unsigned|signed)|^oid|^byteint", re.I
)
_DECIMALS = re.compile(r"^(?:numeric|decimal|dec|number|money|smallmoney|fixed|bignumeric|bigdecimal)", re.I)
_SIZE = re.compile(r"\((\d+)(?:\s*,\s*(\d+))?\s*(?:char|byte)?\)", re.I)
_BY_FAMILY: dict[str, Name] = {
    "yes or no": "boolean", "binary": "binary", "document": "object", "list": "array", "text": "string", "identifier": "string",
}  # fmt: skip


class TypeKind(NamedTuple):
    """The kind of a type, with the length of a text, or the precision and scale of an exact number (0: not said)."""

    name: Name
    length: int = 0
    precision: int = 0
    scale: int = 0


def kind_of(type_name: str) -> TypeKind:
    """Return the kind of an exact type; a type that is not known is a text."""
    group = family(type_name, {})
    found = _SIZE.search(type_name)
    first, second = (int(found[1]), int(found[2] or 0)) if found else (0, 0)
    if group == "number":
        if _INTEGERS.match(type_name):
            return TypeKind("integer")
        return TypeKind("decimal", precision=first, scale=second) if _DECIMALS.match(type_name) else TypeKind("number")
    if group == "date and time":
        low = type_name.lower()
        if low.startswith(("timestamp", "datetime", "smalldatetime")):
            return TypeKind("datetime")
        return TypeKind("time" if low.startswith("time") else "date" if low.startswith("date") else "string")
    if group == "text":
        return TypeKind("string", length=first)
    return TypeKind(_BY_FAMILY.get(group, "string"))
