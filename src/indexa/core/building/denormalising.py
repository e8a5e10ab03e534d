"""Tables of a physical model that are deliberately other than the entities they implement: merged, split, with columns repeated."""

from __future__ import annotations

from collections.abc import Sequence

from indexa.core.building.changing import add_column, add_table, delete_column, delete_table, relate
from indexa.core.building.parts import BuildError, Column, Part

Copies = dict[int, int]
"""New column → the one that it stands for: it implements the same attribute."""


def merge_tables(part: Part, into_id: int, other_id: int) -> Copies:
    """Put the columns of a table into the one that it refers to, and delete it.

    Raises BuildError where it does not refer to it, and where others refer to it: they would have nothing to refer to.
    """
    into, other = part.table(into_id), part.table(other_id)
    upwards = [one for one in part.as_child(other_id) if one.parent == into_id]
    if not upwards:
        raise BuildError(
            f"{other.name} does not refer to {into.name}. Only a table is merged into the one that it refers to."
        )
    below = [one for one in part.as_parent(other_id) if one.child != other_id]
    if below:
        names = ", ".join(sorted({part.table(one.child).name for one in below}))
        raise BuildError(f"{names} refer to {other.name}. Let them refer to {into.name} first.")
    brought = {id_ for one in upwards for id_ in one.columns}
    copies = {}
    for column in [one for one in other.columns if one.id not in brought]:
        copies[_copied(part, into_id, column, other.name)] = column.id
    delete_table(part, other_id)
    return copies


def split_table(part: Part, table_id: int, columns: Sequence[int], name: str) -> Copies:
    """Move columns to a new table of the same key, which refers to the old one. Raises BuildError for columns of the key, or all."""
    table = part.table(table_id)
    moved = [one for one in table.columns if one.id in set(columns)]
    brought = {id_ for one in part.as_child(table_id) for id_ in one.columns}
    if not moved or not table.key:
        raise BuildError(f"Choose columns of {table.name}, which needs a key for it.")
    if any(one.id in table.key or one.id in brought for one in moved):
        raise BuildError("Columns of the key and of relationships stay. Choose others.")
    made = add_table(part, name, table.schema)
    relate(part, table_id, made.id, identifying=True)
    copies = {}
    for column in moved:
        copies[_copied(part, made.id, column, "", nullable=column.nullable)] = column.id
        delete_column(part, table_id, column.id)
    return copies


def repeat_column(part: Part, table_id: int, column_id: int) -> Copies:
    """Repeat a column of a table that this one refers to, however far up. Raises BuildError for any other column."""
    above, waiting = set(), [table_id]
    while waiting:
        for one in part.as_child(waiting.pop()):
            if one.parent not in above:
                above.add(one.parent)
                waiting.append(one.parent)
    owner = next(
        (part.table(id_) for id_ in sorted(above) if any(c.id == column_id for c in part.table(id_).columns)), None
    )
    if owner is None:
        raise BuildError(f"{part.table(table_id).name} refers to no table that has this column.")
    return {_copied(part, table_id, owner.column(column_id), owner.name): column_id}


def _copied(part: Part, table_id: int, column: Column, prefix: str, *, nullable: bool = True) -> int:
    """Add a column like another one, under its name or, where that is taken, with the table's name before it."""
    taken = {one.name.lower() for one in part.table(table_id).columns}
    name = column.name if column.name.lower() not in taken else f"{prefix}_{column.name}"
    made = add_column(part, table_id, name, column.type, nullable=nullable)
    made.default = column.default
    return made.id
