"""The key roles of a column: primary, foreign and unique, together in one small set."""

from __future__ import annotations

import enum

from indexa.core.model import Table


class Role(enum.IntFlag):
    """Part of a primary, foreign or unique key."""

    PRIMARY = 1
    FOREIGN = 2
    UNIQUE = 4


LABELS: dict[Role, tuple[str, str]] = {
    Role.PRIMARY: ("PK", "Primary key"),
    Role.FOREIGN: ("FK", "Foreign key"),
    Role.UNIQUE: ("UQ", "Unique key"),
}
"""Short form and words of each role, in the order in which they are shown."""


def key_roles(table: Table) -> dict[str, Role]:
    """Roles of every column of table that has one. A unique index counts as a unique key."""
    roles: dict[str, Role] = {}

    def add(columns: tuple[str, ...], role: Role) -> None:
        for column in columns:
            roles[column] = roles.get(column, Role(0)) | role

    if table.primary_key:
        add(table.primary_key.columns, Role.PRIMARY)
    for foreign in table.foreign_keys:
        add(foreign.columns, Role.FOREIGN)
    for unique in table.unique:
        add(unique.columns, Role.UNIQUE)
    for index in table.indexes:
        if index.unique:
            add(tuple(part.column for part in index.parts if part.column), Role.UNIQUE)
    return roles


def short_forms(roles: int) -> list[str]:
    """Short forms of the roles in a set, as in ["PK", "FK"]."""
    return [short for role, (short, _) in LABELS.items() if roles & role]
