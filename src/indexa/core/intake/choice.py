"""What a steward chooses to read from a source."""

from __future__ import annotations

import msgspec

OBJECT_KINDS: dict[str, str] = {
    "tables": "Tables",
    "views": "Views",
    "types": "Types and domains",
    "sequences": "Sequences",
    "routines": "Functions and procedures",
    "triggers": "Triggers",
}
"""Kinds that can be chosen one by one, with their label. Keys, checks, indexes come with their table."""


class Choice(msgspec.Struct, frozen=True):
    """Schemas and object kinds to read. Empty schemas: all that are not the system's."""

    schemas: tuple[str, ...] = ()
    kinds: frozenset[str] = frozenset(OBJECT_KINDS)


class SchemaCount(msgspec.Struct, frozen=True):
    """How many objects of each kind a schema holds, seen before anything is read."""

    schema: str
    counts: dict[str, int]
    usable: bool = True
    """False where the login has no right to use the schema; its catalog can be read all the same."""
