"""What a choice leaves out: taken out of a model that was read whole, or kept as it was where a later reading asked for less."""

from __future__ import annotations

from collections.abc import Iterator

from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import count_parts
from indexa.core.model import Model

_APART = (
    ("types", "enums"),
    ("types", "domains"),
    ("types", "composites"),
    ("types", "ranges"),
    ("sequences", "sequences"),
    ("routines", "routines"),
)
"""Kinds of a choice and the members of a Model that hold them."""
_COUNTED = (
    "tables", "views", "triggers", "enum types", "domains", "composite types", "range types", "sequences", "routines",
)  # fmt: skip


def narrow(model: Model, choice: Choice) -> dict[str, int]:
    """Take out of a model what was not chosen. Returns how much of each kind."""
    before = count_parts(model)
    model.tables = [table for table in model.tables if choice.takes(table)]
    if choice.schemas:
        model.schemas = [schema for schema in model.schemas if schema.name in choice.schemas]
    for kind, member in _APART:
        chosen = [one for one in getattr(model, member) if kind in choice.kinds and choice.takes_schema(one.schema)]
        setattr(model, member, chosen)
    if "triggers" not in choice.kinds:
        for table in model.tables:
            table.triggers = []
    return dict(_more(before, count_parts(model)))


def complete(reading: Model, earlier: Model, choice: Choice) -> dict[str, int]:
    """Give a reading what an earlier one holds and the choice leaves out: not chosen is not gone. Returns how much."""
    before = count_parts(reading)
    by_name = {table.full_name: table for table in earlier.tables}
    if "triggers" not in choice.kinds:
        for table in reading.tables:
            known = by_name.get(table.full_name)
            table.triggers = known.triggers if known else []
    read = {table.full_name for table in reading.tables}
    reading.tables += [one for one in earlier.tables if one.full_name not in read and not choice.takes(one)]
    schemas = {schema.name for schema in reading.schemas}
    reading.schemas += [one for one in earlier.schemas if one.name not in schemas and not choice.takes_schema(one.name)]
    for kind, member in _APART:
        mine = getattr(reading, member)
        there = {(one.schema, one.name) for one in mine}
        mine += [
            one
            for one in getattr(earlier, member)
            if (one.schema, one.name) not in there and not (kind in choice.kinds and choice.takes_schema(one.schema))
        ]
    return dict(_more(count_parts(reading), before))


def _more(one: dict[str, int], other: dict[str, int]) -> Iterator[tuple[str, int]]:
    for kind in _COUNTED:
        count = one.get(kind, 0) - other.get(kind, 0)
        if count > 0:
            yield kind, count
