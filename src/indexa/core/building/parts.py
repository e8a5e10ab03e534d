"""The part of a model that a change reaches, with numbers for ids: what is new has negative ones until it is stored."""

from __future__ import annotations

import copy
from collections import defaultdict

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


class Unique(msgspec.Struct, kw_only=True):
    """A unique key beside the primary one."""

    id: int
    columns: list[int]


class Table(msgspec.Struct, kw_only=True):
    """A table or entity: its columns in their order, and the ids of those that its primary key is made of."""

    id: int
    schema: str = ""
    name: str
    columns: list[Column] = msgspec.field(default_factory=list)
    key: list[int] = msgspec.field(default_factory=list)
    unique: list[Unique] = msgspec.field(default_factory=list)

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
    on_delete: str = "no action"
    on_update: str = "no action"
    phrase: str = ""
    """What the child does, as a verb between both names: "is issued to"."""
    phrase_back: str = ""
    """What the parent does: "receives"."""
    of_key: bool = True
    """Whether it refers to the parent's primary key, which its columns follow; another key stays as it is."""
    role: str = ""
    """Words that go before the names of what it brings, where the names alone would say too little."""


class Part:
    """Some tables of a model with the relationships between them."""

    def __init__(self, tables: dict[int, Table], relationships: dict[int, Relationship]) -> None:
        self.tables = tables
        self.relationships: dict[int, Relationship] = {}
        self._last = 0
        self._of_parent: defaultdict[int, dict[int, Relationship]] = defaultdict(dict)
        self._of_child: defaultdict[int, dict[int, Relationship]] = defaultdict(dict)
        for one in relationships.values():
            self.put(one)

    def put(self, one: Relationship) -> None:
        """Add a relationship."""
        self.relationships[one.id] = self._of_parent[one.parent][one.id] = self._of_child[one.child][one.id] = one

    def drop(self, one: Relationship) -> None:
        """Take a relationship out."""
        del self.relationships[one.id], self._of_parent[one.parent][one.id], self._of_child[one.child][one.id]

    def fresh_id(self) -> int:
        """Return an id for something new."""
        self._last -= 1
        return self._last

    def copy(self) -> Part:
        """Return a copy that can be changed by itself."""
        return copy.deepcopy(self)

    def table(self, id_: int) -> Table:
        """Return a table. Raises BuildError where there is none of that id."""
        if id_ not in self.tables:
            raise BuildError("This table is no longer in the model. Load the page again.")
        return self.tables[id_]

    def as_parent(self, table: int) -> list[Relationship]:
        """Return the relationships that refer to a table."""
        return list(self._of_parent[table].values())

    def as_child(self, table: int) -> list[Relationship]:
        """Return the relationships by which a table refers to others."""
        return list(self._of_child[table].values())

    def origin(self, table: int, column: int) -> tuple[int, int]:
        """Return the table and column from which a column comes in the end, along the relationships that bring it."""
        seen = {column}
        while True:
            for one in self._of_child[table].values():
                if column in one.columns:
                    above = one.ref_columns[one.columns.index(column)]
                    if above not in seen:
                        table, column = one.parent, above
                        seen.add(column)
                        break
            else:
                return table, column
