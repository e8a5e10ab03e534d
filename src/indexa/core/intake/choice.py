"""What a steward chooses to read from a source."""

from __future__ import annotations

import re
from fnmatch import translate
from functools import lru_cache

import msgspec

from indexa.core.model import VIEW_KINDS, Table

OBJECT_KINDS: dict[str, str] = {
    "tables": "Tables",
    "views": "Views",
    "types": "Types and domains",
    "sequences": "Sequences",
    "routines": "Functions and procedures",
    "triggers": "Triggers",
}
"""Kinds that can be chosen one by one, with their label. Keys, checks, indexes come with their table.

A platform offers those of them that it has.
"""


class Choice(msgspec.Struct, frozen=True):
    """Schemas, object kinds and names to read. Empty schemas: all that are not the system's.

    `include` and `exclude` are patterns with * and ?, without regard to case. One with a dot speaks of schema and
    table, one without of the table alone. Nothing in `include` means everything; `exclude` counts last.
    """

    schemas: tuple[str, ...] = ()
    kinds: frozenset[str] = frozenset(OBJECT_KINDS)
    include: tuple[str, ...] = ()
    exclude: tuple[str, ...] = ()

    def takes(self, table: Table) -> bool:
        """Say whether a table or view was chosen."""
        kind = "views" if table.kind in VIEW_KINDS else "tables"
        return kind in self.kinds and self.takes_schema(table.schema) and self.takes_name(table.schema, table.name)

    def takes_schema(self, schema: str) -> bool:
        """Say whether a schema was chosen; what lies in none always is."""
        return not self.schemas or not schema or schema in self.schemas

    def takes_name(self, schema: str, name: str) -> bool:
        """Say whether the patterns let a table of this name in."""
        if self.include and not _matches(self.include, schema, name):
            return False
        return not (self.exclude and _matches(self.exclude, schema, name))


class SchemaCount(msgspec.Struct, frozen=True):
    """How many objects of each kind a schema holds, seen before anything is read."""

    schema: str
    counts: dict[str, int]
    usable: bool = True
    """False where the login has no right to use the schema; its catalog can be read all the same."""


def patterns(text: str) -> tuple[str, ...]:
    """Take apart what a person types: patterns with commas, spaces or lines between them."""
    return tuple(dict.fromkeys(part for part in re.split(r"[\s,;]+", text) if part))


def _matches(wanted: tuple[str, ...], schema: str, name: str) -> bool:
    by_table, by_path = _compiled(wanted)
    return bool((by_table and by_table.fullmatch(name)) or (by_path and by_path.fullmatch(f"{schema}.{name}")))


@lru_cache(maxsize=256)
def _compiled(wanted: tuple[str, ...]) -> tuple[re.Pattern[str] | None, re.Pattern[str] | None]:
    def joined(parts: list[str]) -> re.Pattern[str] | None:
        return re.compile("|".join(translate(part) for part in parts), re.IGNORECASE) if parts else None

    return joined([part for part in wanted if "." not in part]), joined([part for part in wanted if "." in part])
