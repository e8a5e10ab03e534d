"""What a foreign key means between two tables: identifying, optional, one or many."""

from __future__ import annotations

import msgspec

from indexa.core.model.parts import ForeignKey, Table


class Relationship(msgspec.Struct, frozen=True):
    """A child table's reference to its parent.

    identifying: every child column is in the child's primary key. optional: a child column may be
    empty. one_to_one: a key of the child is made of just these columns.
    """

    identifying: bool
    optional: bool
    one_to_one: bool


def relationship(child: Table, key: ForeignKey) -> Relationship:
    """Work out what key means for its table child."""
    columns = set(key.columns)
    primary = set(child.primary_key.columns) if child.primary_key else set()
    keys = [primary, *(set(unique.columns) for unique in child.unique)]
    keys += [
        {part.column for part in index.parts}
        for index in child.indexes
        if index.unique and index.predicate is None and all(part.column for part in index.parts)
    ]
    return Relationship(
        identifying=bool(primary) and columns <= primary,
        optional=any(column.nullable for column in child.columns if column.name in columns),
        one_to_one=columns in keys,
    )
