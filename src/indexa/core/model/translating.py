"""Parts of one state told in the names of another: what renamed tables and columns are called there."""

from __future__ import annotations

from typing import TypeVar

import msgspec

from indexa.core.model.parts import Check, Exclusion, ForeignKey, Index, Key, Sequence, Trigger
from indexa.core.model.renaming import renamed_in

Name = tuple[str, str]
"""A table by its schema and name."""
Owned = Key | ForeignKey | Check | Exclusion | Index | Trigger
P = TypeVar("P", bound=Owned)


class Names(msgspec.Struct):
    """What tables and their columns are called in the other state; what is not named keeps its name."""

    tables: dict[Name, Name] = msgspec.field(default_factory=dict)
    columns: dict[Name, dict[str, str]] = msgspec.field(default_factory=dict)
    """By the table's name in the state that is translated from."""

    def __bool__(self) -> bool:
        return bool(self.tables) or bool(self.columns)

    def column(self, table: Name, column: str) -> str:
        """Return what a column is called."""
        return self.columns.get(table, {}).get(column, column)

    def full_name(self, full: str) -> str:
        """Return what a table given as schema.name is called."""
        schema, _, name = full.rpartition(".")
        to = self.tables.get((schema, name))
        return full if to is None else f"{to[0]}.{to[1]}" if to[0] else to[1]


def translated(part: P, table: Name, names: Names) -> P:
    """Return a table's part in the names of the other state; the part itself where nothing in it has another name."""
    own = names.columns.get(table, {})
    if isinstance(part, ForeignKey):
        target = (part.ref_schema, part.ref_table)
        to = names.tables.get(target, target)
        theirs = names.columns.get(target, {})
        if not own and not theirs and to == target:
            return part
        return msgspec.structs.replace(
            part, columns=tuple(own.get(c, c) for c in part.columns), ref_schema=to[0], ref_table=to[1],
            ref_columns=tuple(theirs.get(c, c) for c in part.ref_columns),
        )  # fmt: skip
    if not own:
        return part
    if isinstance(part, Key):
        return msgspec.structs.replace(part, columns=tuple(own.get(c, c) for c in part.columns))
    if isinstance(part, Index):
        parts = tuple(
            msgspec.structs.replace(
                one, column=own.get(one.column, one.column), expression=renamed_in(one.expression, own)
            )
            for one in part.parts
        )
        predicate = renamed_in(part.predicate, own) if part.predicate else part.predicate
        included = tuple(own.get(c, c) for c in part.included)
        return msgspec.structs.replace(part, parts=parts, included=included, predicate=predicate)
    if isinstance(part, Check):
        return msgspec.structs.replace(part, expression=renamed_in(part.expression, own))
    return part


def translated_sequence(sequence: Sequence, names: Names) -> Sequence:
    """Return a sequence whose owner is told in the names of the other state."""
    table, _, column = sequence.owned_by.rpartition(".")
    schema, _, name = table.rpartition(".")
    if not table or ((schema, name) not in names.tables and (schema, name) not in names.columns):
        return sequence
    owner = f"{names.full_name(table)}.{names.column((schema, name), column)}"
    return msgspec.structs.replace(sequence, owned_by=owner)
