"""What a change takes along beyond what it is about, in words, to be told before it happens."""

from __future__ import annotations

from collections.abc import Collection

from indexa.core.building.parts import Part


def consequences(before: Part, after: Part, *, but: Collection[int] = ()) -> list[str]:
    """Return what goes, comes or changes between two states of a part, but for the objects (by id) that the change is about."""
    found = []
    for id_, one in before.relationships.items():
        if id_ not in after.relationships and id_ not in but:
            child, parent = before.tables[one.child].name, before.tables[one.parent].name
            found.append(f"The relationship from {child} to {parent} goes.")
    for id_, table in before.tables.items():
        now = after.tables.get(id_)
        if now is None:
            if id_ not in but:
                found.append(f"{table.name} goes.")
            continue
        kept = {column.id: column for column in now.columns}
        for column in table.columns:
            if column.id not in kept and column.id not in but:
                found.append(f"{table.name}.{column.name} goes.")
            elif column.id in kept and column.type != kept[column.id].type and column.id not in but:
                found.append(f"{table.name}.{column.name} becomes {kept[column.id].type or 'without type'}.")
        known = {column.id for column in table.columns}
        found += [
            f"{table.name} gets {column.name}."
            for column in now.columns
            if column.id not in known and column.id not in but
        ]
    return found
