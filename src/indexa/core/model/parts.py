"""The parts of a Model: one shape for the physical and the logical layer.

In a logical model a table is an entity and a column an attribute; `realises` links a physical
part to its logical one by id. Ids stay with their object through a rename; `origin` is the handle
by which the source itself knows the object ("" where it has none).
Masses of these are made, so they are slotted, are not tracked by the garbage collector (no part
can refer back to itself) and are not frozen.
"""

from __future__ import annotations

from typing import Literal, get_args

import msgspec

Layer = Literal["physical", "logical"]
TableKind = Literal["table", "partitioned table", "foreign table", "view", "materialized view"]
KeyAction = Literal["no action", "restrict", "cascade", "set null", "set default"]
MatchType = Literal["simple", "full", "partial"]

ACTIONS: tuple[KeyAction, ...] = get_args(KeyAction)
NO_ACTION = ACTIONS[0]  # one object: msgspec leaves out defaults by identity
VIEW_KINDS: frozenset[str] = frozenset({"view", "materialized view"})


class Part(msgspec.Struct, omit_defaults=True, gc=False, kw_only=True):
    """Anything that has a name. Members at their default are left out of the model file."""

    name: str
    comment: str = ""


class Column(msgspec.Struct, omit_defaults=True, gc=False):
    """One column or attribute. `position` counts from 1; `type` is the source's exact wording."""

    name: str
    position: int
    type: str
    nullable: bool = True
    default: str | None = None
    comment: str = ""
    identity: str = ""
    """"always", "by default", or "" if it is no identity column."""
    generated: str | None = None
    """The expression that the database computes it from."""
    collation: str = ""
    business_name: str = ""
    definition: str = ""
    id: str = ""
    origin: str = ""
    realises: str = ""
    remark: str = ""
    """What a line comment beside it in a script says: a proposal for its definition."""
    migrated_from: str = ""
    """Id of the attribute that a foreign key brings here; its definition holds unless there is an own one."""


class Key(Part, omit_defaults=True, gc=False, kw_only=True):
    """A primary or unique key."""

    columns: tuple[str, ...]
    deferrable: bool = False
    initially_deferred: bool = False
    nulls_distinct: bool = True
    asserted: bool = False
    """True where a person says so and the source declares nothing."""


class ForeignKey(Part, omit_defaults=True, gc=False, kw_only=True):
    """A reference from `columns` to `ref_columns`, pair by pair."""

    columns: tuple[str, ...]
    ref_schema: str
    ref_table: str
    ref_columns: tuple[str, ...]
    on_delete: KeyAction = NO_ACTION
    on_update: KeyAction = NO_ACTION
    match: MatchType = "simple"
    deferrable: bool = False
    initially_deferred: bool = False
    validated: bool = True
    asserted: bool = False
    """True where a person says so and the source declares nothing."""
    only_where: str = ""
    """The condition under which a row refers to this table, where a type column chooses between several."""
    phrase: str = ""
    """What the child does, as a verb between both names: "is issued to". No source knows it."""
    phrase_back: str = ""
    """What the parent does: "receives"."""


class Check(Part, omit_defaults=True, gc=False, kw_only=True):
    """A condition that every row meets."""

    expression: str
    validated: bool = True
    inherited: bool = True


class Exclusion(Part, omit_defaults=True, gc=False, kw_only=True):
    """A rule that no two rows may meet together, each element with its operator."""

    elements: tuple[str, ...]
    method: str
    predicate: str | None = None
    deferrable: bool = False
    initially_deferred: bool = False


class IndexPart(msgspec.Struct, omit_defaults=True, gc=False):
    """One key of an index: a column, or an expression."""

    column: str = ""
    expression: str = ""
    operator_class: str = ""
    """Only where it is not the type's own."""
    collation: str = ""
    descending: bool = False
    nulls_first: bool = False
    length: int = 0
    """How many letters of the column are indexed; 0 for all of it."""


class Index(Part, omit_defaults=True, gc=False, kw_only=True):
    """An index that backs no key."""

    parts: tuple[IndexPart, ...]
    unique: bool = False
    method: str = "btree"
    included: tuple[str, ...] = ()
    predicate: str | None = None
    valid: bool = True


class Trigger(Part, omit_defaults=True, gc=False, kw_only=True):
    """What runs when rows change; `definition` is the source's own statement."""

    definition: str
    routine: str = ""
    enabled: bool = True


class Partition(msgspec.Struct, omit_defaults=True, gc=False):
    """A part of a partitioned table, kept with its parent and not as a table of its own."""

    schema: str
    name: str
    bound: str
    partition_by: str = ""


class Table(Part, omit_defaults=True, gc=False, kw_only=True):
    """A table, view or entity with all that belongs to it."""

    schema: str = ""
    kind: TableKind = "table"
    columns: list[Column] = msgspec.field(default_factory=list)
    primary_key: Key | None = None
    unique: list[Key] = msgspec.field(default_factory=list)
    foreign_keys: list[ForeignKey] = msgspec.field(default_factory=list)
    checks: list[Check] = msgspec.field(default_factory=list)
    exclusions: list[Exclusion] = msgspec.field(default_factory=list)
    indexes: list[Index] = msgspec.field(default_factory=list)
    triggers: list[Trigger] = msgspec.field(default_factory=list)
    definition_sql: str = ""
    """The query of a view."""
    owner: str = ""
    unlogged: bool = False
    options: tuple[str, ...] = ()
    server: str = ""
    """The foreign server of a foreign table."""
    inherits: tuple[str, ...] = ()
    """schema.table of each parent, in order."""
    partition_by: str = ""
    partitions: list[Partition] = msgspec.field(default_factory=list)
    table_role: str = ""
    """The role it plays, as a person decided: "code table", "many-to-many table", "subtype"."""
    business_name: str = ""
    definition: str = ""
    id: str = ""
    origin: str = ""
    realises: str = ""

    @property
    def full_name(self) -> str:
        """Schema and name with a dot between them; the name alone where there is no schema."""
        return f"{self.schema}.{self.name}" if self.schema else self.name


class Enum(Part, omit_defaults=True, gc=False, kw_only=True):
    """A type that lists its values, in their order."""

    schema: str
    values: tuple[str, ...]


class Domain(Part, omit_defaults=True, gc=False, kw_only=True):
    """A type made of another one and conditions."""

    schema: str
    type: str
    nullable: bool = True
    default: str | None = None
    collation: str = ""
    checks: list[Check] = msgspec.field(default_factory=list)


class CompositeField(msgspec.Struct, omit_defaults=True, gc=False):
    """One member of a composite type."""

    name: str
    type: str
    comment: str = ""


class Composite(Part, omit_defaults=True, gc=False, kw_only=True):
    """A type made of named fields."""

    schema: str
    fields: tuple[CompositeField, ...]


class Range(Part, omit_defaults=True, gc=False, kw_only=True):
    """A type of intervals over another type."""

    schema: str
    subtype: str
    multirange: str = ""


class Sequence(Part, omit_defaults=True, gc=False, kw_only=True):
    """A number generator; `owned_by` is schema.table.column of the column it serves."""

    schema: str
    type: str
    start: int
    increment: int
    minimum: int
    maximum: int
    cache: int = 1
    cycle: bool = False
    owned_by: str = ""
    owner: str = ""


class Routine(Part, omit_defaults=True, gc=False, kw_only=True):
    """A function or procedure; its body is text and is never run."""

    schema: str
    kind: Literal["function", "procedure", "aggregate", "window function", "package", "event"]
    arguments: str
    returns: str
    language: str
    definition: str


class SchemaInfo(Part, omit_defaults=True, gc=False, kw_only=True):
    """A schema and what the source says of it."""

    owner: str = ""


class Model(msgspec.Struct, omit_defaults=True, kw_only=True):
    """Everything known of one database or one business area, in one layer."""

    name: str
    layer: Layer = "physical"
    platform: str = ""
    platform_version: str = ""
    comment: str = ""
    schemas: list[SchemaInfo] = msgspec.field(default_factory=list)
    tables: list[Table] = msgspec.field(default_factory=list)
    enums: list[Enum] = msgspec.field(default_factory=list)
    domains: list[Domain] = msgspec.field(default_factory=list)
    composites: list[Composite] = msgspec.field(default_factory=list)
    ranges: list[Range] = msgspec.field(default_factory=list)
    sequences: list[Sequence] = msgspec.field(default_factory=list)
    routines: list[Routine] = msgspec.field(default_factory=list)
