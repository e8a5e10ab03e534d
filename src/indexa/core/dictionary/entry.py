"""One entry of a data dictionary: a column and the words people gave it, ready for any document."""

from __future__ import annotations

import msgspec

from indexa.core.dictionary.key_roles import short_forms


class Entry(msgspec.Struct, frozen=True, gc=False):
    """A column as a dictionary shows it. `roles` is a set of key roles; `comment` is the source's own.

    `references` names what foreign keys of the column refer to, each with whether it is asserted and not declared.
    """

    model: str
    schema: str
    table: str
    table_business_name: str
    kind: str
    position: int
    roles: int
    column: str
    business_name: str
    type: str
    nullable: bool
    definition: str
    comment: str
    table_definition: str = ""
    references: str = ""
    more: tuple[str, ...] = ()
    """What else is known of it, as what it means, who owns it and how it is classified, under headings that the file is given."""

    @property
    def role_text(self) -> str:
        """Short forms of the key roles, as in "PK FK"."""
        return " ".join(short_forms(self.roles))

    def cells(self) -> tuple[str | int, ...]:
        """Values in the order of HEADINGS."""
        return (
            self.model,
            self.schema,
            self.table,
            self.table_business_name,
            self.table_definition,
            self.kind,
            self.position,
            self.role_text,
            self.column,
            self.business_name,
            self.type,
            "yes" if self.nullable else "no",
            self.references,
            self.definition,
            self.comment,
            *self.more,
        )


HEADINGS = (
    "Model",
    "Schema",
    "Table",
    "Table's business name",
    "Table's definition",
    "Kind",
    "Position",
    "Key roles",
    "Column",
    "Business name",
    "Type",
    "Nullable",
    "References",
    "Definition",
    "Comment in the source",
)
"""Readable heading of every cell, but those of `more`."""
