"""The receipt of an intake: what arrived, what was adapted, what was left out, and why."""

from __future__ import annotations

from typing import Literal

import msgspec

from indexa.core.model import VIEW_KINDS, Model

Fate = Literal["adapted", "left out"]


_ORDER = (
    "schemas", "tables", "partitions", "views", "columns", "primary keys", "unique keys", "foreign keys", "checks",
    "exclusion constraints", "indexes", "triggers", "enum types", "domains", "composite types", "range types",
    "sequences", "routines", "comments",
)  # fmt: skip


class Note(msgspec.Struct, frozen=True):
    """Objects of one kind that did not arrive as they are, and the reason."""

    fate: Fate
    kind: str
    reason: str
    count: int = 1
    place: str = ""
    """The object, schema or file concerned; "" where the note speaks of many."""


class Receipt(msgspec.Struct):
    """Counts by kind in the order in which they are shown, then notes; times in seconds."""

    arrived: dict[str, int] = msgspec.field(default_factory=dict)
    notes: list[Note] = msgspec.field(default_factory=list)
    reading_seconds: float = 0.0
    storing_seconds: float = 0.0
    source_version: str = ""
    schemas: tuple[str, ...] = ()
    statements: dict[str, int] = msgspec.field(default_factory=dict)
    """Of a script: how many statements begin with each word, whatever became of them."""

    def note(self, fate: Fate, kind: str, reason: str, count: int = 1, place: str = "") -> None:
        """Add a line."""
        self.notes.append(Note(fate, kind, reason, count, place))

    def adapted(self) -> list[Note]:
        """Notes on what was taken over in another form."""
        return [note for note in self.notes if note.fate == "adapted"]

    def left_out(self) -> list[Note]:
        """Notes on what is not in the model."""
        return [note for note in self.notes if note.fate == "left out"]


def counted(kind: str, count: int) -> str:
    """Word a kind as it stands behind its number: "tables" behind 2, "table" behind 1."""
    if count != 1 or " and " in kind:
        return kind
    head, gap, rest = kind.partition(" with ")
    for plural, singular in (("indexes", "index"), ("ies", "y"), ("s", "")):
        if head.endswith(plural):
            return head.removesuffix(plural) + singular + gap + rest
    return kind


def in_order(counts: dict[str, int]) -> dict[str, int]:
    """Return counts in the order in which they are shown, whatever order a store gave them back in."""
    return {kind: counts[kind] for kind in [*_ORDER, *sorted(counts.keys() - set(_ORDER))] if kind in counts}


def count_parts(model: Model) -> dict[str, int]:
    """Count the parts of a Model by kind; kinds of which there is none are left out."""
    tables = model.tables
    counts = {
        "schemas": len(model.schemas),
        "tables": sum(table.kind not in VIEW_KINDS for table in tables),
        "views": sum(table.kind in VIEW_KINDS for table in tables),
        "columns": sum(len(table.columns) for table in tables),
        "primary keys": sum(table.primary_key is not None for table in tables),
        "unique keys": sum(len(table.unique) for table in tables),
        "foreign keys": sum(len(table.foreign_keys) for table in tables),
        "checks": sum(len(table.checks) for table in tables),
        "exclusion constraints": sum(len(table.exclusions) for table in tables),
        "indexes": sum(len(table.indexes) for table in tables),
        "partitions": sum(len(table.partitions) for table in tables),
        "triggers": sum(len(table.triggers) for table in tables),
        "enum types": len(model.enums),
        "domains": len(model.domains),
        "composite types": len(model.composites),
        "range types": len(model.ranges),
        "sequences": len(model.sequences),
        "routines": len(model.routines),
        "comments": sum(
            bool(table.comment) + len([1 for column in table.columns if column.comment]) for table in tables
        ),
    }
    return {kind: count for kind, count in counts.items() if count}
