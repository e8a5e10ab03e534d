"""What differs between two models of one database, in lines of text."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from typing import Any

from indexa.core.model import VIEW_KINDS, Column, Model, Table


def differences(live: Model, other: Model, *, beyond_keys: bool = True) -> list[str]:
    """List what the other model has differently. Without `beyond_keys` only columns and keys are looked at.

    Not compared are the wording of expressions and of views, and what a script can't know of a view's columns.
    """
    theirs = {(table.schema, table.name): table for table in other.tables}
    found = [
        f"table {schema}.{name} is invented"
        for schema, name in theirs.keys() - {(t.schema, t.name) for t in live.tables}
    ]
    for table in live.tables:
        twin = theirs.get((table.schema, table.name))
        if twin is None:
            found.append(f"{table.kind} {table.full_name} is missing")
        else:
            found += [f"{table.full_name}: {line}" for line in _of_table(table, twin, beyond_keys)]
    if beyond_keys:
        for kind, text in _TOLD.items():
            ours, others = (Counter(text(one) for one in getattr(model, kind)) for model in (live, other))
            found += [f"{kind}: {one} is missing" for one in (ours - others).elements()]
            found += [f"{kind}: {one} is invented" for one in (others - ours).elements()]
    return sorted(found)


_TOLD: dict[str, Callable[[Any], tuple[Any, ...]]] = {
    "enums": lambda one: (one.schema, one.name, one.values, one.comment),
    "domains": lambda one: (
        one.schema,
        one.name,
        one.type,
        one.nullable,
        str(sorted(c.name for c in one.checks)),
        one.comment,
    ),
    "composites": lambda one: (
        one.schema,
        one.name,
        str([(field.name, field.type) for field in one.fields]),
        one.comment,
    ),
    "sequences": lambda one: (one.schema, one.name, one.start, one.increment, one.cycle, one.owned_by),
    "routines": lambda one: (one.schema, one.name, one.kind),
}
"""What is compared of parts beside tables."""


def _of_table(table: Table, twin: Table, beyond_keys: bool) -> Iterator[str]:
    if table.kind != twin.kind:
        yield f"{twin.kind} instead of {table.kind}"
    names, other_names = [c.name for c in table.columns], [c.name for c in twin.columns]
    if names != other_names:
        yield f"columns {other_names} instead of {names}"
        return
    if table.comment != twin.comment:
        yield f"comment “{twin.comment}” instead of “{table.comment}”"
    view = table.kind in VIEW_KINDS
    for column, its_twin in zip(table.columns, twin.columns, strict=True):
        yield from _of_column(column, its_twin, view)
    parts: dict[str, Any] = {
        "primary key": lambda t: t.primary_key and (t.primary_key.name, t.primary_key.columns),
        "unique": lambda t: {(key.name, key.columns) for key in t.unique},
        "foreign keys": lambda t: {
            (key.name, key.columns, key.ref_schema, key.ref_table, key.ref_columns) for key in t.foreign_keys
        },
    }
    if beyond_keys:
        parts |= {
            "actions": lambda t: {(key.name, key.on_delete, key.on_update, key.deferrable) for key in t.foreign_keys},
            "indexes": lambda t: {
                (i.name, i.unique, i.method, i.included, tuple((p.column, p.descending, p.length) for p in i.parts))
                for i in t.indexes
            },
            "checks": lambda t: {check.name for check in t.checks},
            "exclusions": lambda t: {one.name for one in t.exclusions},
            "comments": lambda t: {
                one.name: one.comment for one in (*t.indexes, *t.unique, *t.triggers, *t.checks) if one.comment
            },
            "triggers": lambda t: {trigger.name for trigger in t.triggers},
            "partitions": lambda t: {part.name for part in t.partitions},
            "options": lambda t: set(t.options),
            "parents": lambda t: t.inherits,
        }
    for what, value in parts.items():
        if value(table) != value(twin):
            yield f"{what} {value(twin)} instead of {value(table)}"


def _of_column(column: Column, twin: Column, view: bool) -> Iterator[str]:
    if view:
        if twin.type and twin.type != column.type:
            yield f"{column.name}: type {twin.type} instead of {column.type}"
        if twin.comment != column.comment:
            yield f"{column.name}: comment {twin.comment!r} instead of {column.comment!r}"
        return
    for member in ("type", "nullable", "identity", "comment", "collation"):
        if getattr(column, member) != getattr(twin, member):
            yield f"{column.name}: {member} {getattr(twin, member)!r} instead of {getattr(column, member)!r}"
    if (column.default is None) != (twin.default is None) or (column.generated is None) != (twin.generated is None):
        yield f"{column.name}: default {twin.default!r}, computed {twin.generated!r}, not {column.default!r}, {column.generated!r}"
