"""Parts of a table and of a model in a line of text, as both sides of a difference show them."""

from __future__ import annotations

from typing import Any

import msgspec

from indexa.core.model import Exclusion, ForeignKey, Index, Key, Routine, Trigger
from indexa.core.model.parts import Check

_LONGEST = 2_000


def worded(value: object) -> str:
    """Return a value in a line of text; long ones are cut."""
    text = _worded(value)
    return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"


def _worded(value: Any) -> str:
    match value:
        case None:
            return "none"
        case bool():
            return "yes" if value else "no"
        case str():
            return value
        case Key():
            return f"{value.name} ({', '.join(value.columns)})" + _rest(value, {"name", "columns"})
        case ForeignKey():
            target = f"{value.ref_schema}.{value.ref_table}" if value.ref_schema else value.ref_table
            text = f"{value.name} ({', '.join(value.columns)}) → {target} ({', '.join(value.ref_columns)})"
            return text + _rest(value, {"name", "columns", "ref_schema", "ref_table", "ref_columns"})
        case Check():
            return f"{value.name}: {value.expression}" + _rest(value, {"name", "expression"})
        case Exclusion():
            return f"{value.name}: {', '.join(value.elements)}" + _rest(value, {"name", "elements"})
        case Index():
            parts = ", ".join(
                (part.column or part.expression)
                + (f"({part.length})" if part.length else "")
                + (" desc" if part.descending else "")
                for part in value.parts
            )
            return f"{value.name} ({parts})" + _rest(value, {"name", "parts"})
        case Trigger() | Routine():
            return value.definition
        case tuple() | list():
            return ", ".join(_worded(one) for one in value)
        case msgspec.Struct():
            return "; ".join(
                f"{name.replace('_', ' ')} {_worded(text)}"
                for name, text in msgspec.structs.asdict(value).items()
                if text not in ("", None, False, ()) and name not in ("schema", "name", "origin", "id")
            )
        case _:
            return str(value)


def _rest(value: msgspec.Struct, told: set[str]) -> str:
    """Word what of a part is not at its default and not told yet."""
    default = {field.name: field.default for field in msgspec.structs.fields(value)}
    rest = [
        name.replace("_", " ") if held is True else f"{name.replace('_', ' ')} {_worded(held)}"
        for name, held in msgspec.structs.asdict(value).items()
        if name not in told and held != default[name]
    ]
    return f" {', '.join(rest)}" if rest else ""


def kind_in_words(kind: str) -> str:
    """Word the kind of a difference: what the later state no longer has is removed."""
    return "removed" if kind == "gone" else kind
