"""What was found and a person decides: a key, a relationship, the part a table plays."""

from __future__ import annotations

from typing import Literal, TypeAlias

import msgspec

ProposalKind: TypeAlias = Literal[
    "primary_key",
    "unique",
    "foreign_key",
    "typed_reference",
    "code_table",
    "many_to_many",
    "subtype",
    "fact",
    "dimension",
    "bridge",
    "aggregate",
    "repeated_column",
    "definition",
]

LEAST = 0.2
"""What is less likely than this is not worth a person's look."""


class Proposal(msgspec.Struct, omit_defaults=True, kw_only=True):
    """One proposal. `confidence` is how often one like it is right, from 0 to 1.

    `ref_*` are empty where the kind points to nothing. `pattern` words what this proposal has in common with others, so
    that they can be decided together.
    """

    kind: ProposalKind
    schema: str = ""
    table: str
    columns: tuple[str, ...] = ()
    ref_schema: str = ""
    ref_table: str = ""
    ref_columns: tuple[str, ...] = ()
    confidence: float
    evidence: tuple[str, ...] = ()
    """Sentences; machine names in them stand between backticks."""
    pattern: str = ""
    cardinality: str = ""
    """"many to one" or "one to one" from the table to the one it refers to; "" where nothing is referred to."""
    optional: bool = False
    """True where a row may refer to nothing."""
    type_column: str = ""
    """The column that tells which of several tables a row refers to."""
    text: str = ""
    """The definition that is proposed, for that kind alone."""
    type_value: str = ""
    """What that column holds where this table is meant, as far as its name tells."""

    @property
    def full_name(self) -> str:
        """The table's schema and name with a dot between them."""
        return f"{self.schema}.{self.table}" if self.schema else self.table


class Proposals(msgspec.Struct, omit_defaults=False):
    """The file that `./indexa infer` writes."""

    proposals: list[Proposal]
