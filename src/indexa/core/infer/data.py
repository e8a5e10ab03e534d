"""What the rows of a source say, asked by bounded queries: which columns hold no value twice, which values stand elsewhere,
and how many rows there are."""

from __future__ import annotations

import msgspec

Place = tuple[str, str, str]
"""Schema, table and column."""
Uniqueness = tuple[str, str, tuple[str, ...]]
"""Schema, table and columns."""
Inclusion = tuple[str, str, tuple[str, ...], str, str, tuple[str, ...]]
"""Schema, table and columns, and the schema, table and columns that they may refer to, in the same order."""
Repeat = tuple[str, str, str, str, str, str, str, str]
"""Schema, table, column and the column that refers; schema and table referred to, the column there, and the one referred to."""


class Range(msgspec.Struct, frozen=True):
    """How numbers lie among those of a key."""

    beyond: float
    """The share of the key's numbers that are higher than all of them."""
    filled: float
    """The share of the whole numbers between the lowest and the highest of them that the key holds: 1 where it has no gap."""


class DataSaid(msgspec.Struct):
    """Answers of a source. What was not asked, or had no rows, is not in it."""

    included: dict[Inclusion, float] = msgspec.field(default_factory=dict)
    """The share of the sampled values, none of them empty, that stand in the other columns."""
    ranged: dict[Inclusion, Range] = msgspec.field(default_factory=dict)
    """How the numbers of a column lie among those of another one in which all of them stand."""
    values: dict[Place, int] = msgspec.field(default_factory=dict)
    """How many different values a sample of a column held, of columns that were compared with others."""
    unique: dict[Uniqueness, int] = msgspec.field(default_factory=dict)
    """How many rows a sample held, none of them twice or with an empty value; 0 where one is."""
    repeated: dict[Repeat, float] = msgspec.field(default_factory=dict)
    """The share of sampled rows that hold the very value of the row they refer to, where they hold more than one value."""
    rows: dict[tuple[str, str], int] = msgspec.field(default_factory=dict)
    """How many rows a table has, counted to a bound."""
    said: list[str] = msgspec.field(default_factory=list)
    """What was left unasked, and why."""

    def add(self, other: DataSaid) -> None:
        """Take in the answers of another round."""
        self.included |= other.included
        self.ranged |= other.ranged
        self.values |= other.values
        self.unique |= other.unique
        self.repeated |= other.repeated
        self.rows |= other.rows
        self.said += [line for line in other.said if line not in self.said]
