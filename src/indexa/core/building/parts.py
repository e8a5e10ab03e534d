"""The part of a model that a change reaches, with numbers for ids: what is new has negative ones until it is stored."""

from __future__ import annotations

import copy
from collections.abc import Iterator

import msgspec

from indexa.core.errors import CoreError


class BuildError(CoreError):
    """A change that a model can't take; the message says why and what to do."""

    code = "building"


class Column(msgspec.Struct, kw_only=True):
    """A column or attribute."""

    id: int
    name: str
    type: str = ""
    nullable: bool = True
    default: str | None = None
    brought: bool = False
    """Whether a relationship brought it here, and takes it away again when it goes."""


class Table(msgspec.Struct, kw_only=True):
    """A table or entity: its columns in their order, and the ids of those that its primary key is made of."""

    id: int
    schema: str = ""
    name: str
    columns: list[Column] = msgspec.field(default_factory=list)
    key: list[int] = msgspec.field(default_factory=list)

    def column(self, id_: int) -> Column:
        """Return a column. Raises BuildError where there is none of that id."""
        for column in self.columns:
            if column.id == id_:
                return column
        raise BuildError(f"{self.name} no longer has this column. Load the page again.")


class Relationship(msgspec.Struct, kw_only=True):
    """A relationship: pairs of columns, child's and parent's, by id. An identifying one is part of the child's key."""

    id: int
    name: str = ""
    child: int
    parent: int
    columns: list[int] = msgspec.field(default_factory=list)
    ref_columns: list[int] = msgspec.field(default_factory=list)
    identifying: bool = False
    optional: bool = False
    role: str = ""
    """Words that go before the names of what it brings, where the names alone would say too little."""


class Part(msgspec.Struct):
    """Some tables of a model with the relationships between them."""

    tables: dict[int, Table]
    relationships: dict[int, Relationship]
    last: int = 0

    def fresh_id(self) -> int:
        """Return an id for something new."""
        self.last -= 1
        return self.last

    def copy(self) -> Part:
        """Return a copy that can be changed by itself."""
        return copy.deepcopy(self)

    def table(self, id_: int) -> Table:
        """Return a table. Raises BuildError where there is none of that id."""
        if id_ not in self.tables:
            raise BuildError("This table is no longer in the model. Load the page again.")
        return self.tables[id_]

    def as_parent(self, table: int) -> Iterator[Relationship]:
        """Yield the relationships that refer to a table."""
        return (one for one in list(self.relationships.values()) if one.parent == table)

    def as_child(self, table: int) -> Iterator[Relationship]:
        """Yield the relationships by which a table refers to others."""
        return (one for one in list(self.relationships.values()) if one.child == table)

    def origin(self, column: int) -> int:
        """Return where a column comes from in the end, along the relationships that bring it; itself where none does."""
        above = {
            own: ref
            for one in self.relationships.values()
            for own, ref in zip(one.columns, one.ref_columns, strict=True)
        }
        seen = {column}
        while column in above and above[column] not in seen:
            column = above[column]
            seen.add(column)
        return column
