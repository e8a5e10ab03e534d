"""What the rows of a source say, asked by bounded queries: which columns hold no value twice, which values
stand elsewhere, and how many rows there are."""

from __future__ import annotations

import msgspec

Inclusion = tuple[str, str, str, str, str, str]
"""Schema, table and column, and the schema, table and column that they may refer to."""
Uniqueness = tuple[str, str, tuple[str, ...]]
"""Schema, table and columns."""
Repeat = tuple[str, str, str, str, str, str, str, str]
"""Schema, table, column and the column that refers; schema and table referred to, the column there, and the one referred to."""


class DataSaid(msgspec.Struct):
    """Answers of a source. What was not asked, or had no rows, is not in it."""

    included: dict[Inclusion, float] = msgspec.field(default_factory=dict)
    """The share of the sampled values, none of them empty, that stand in the other column."""
    unique: dict[Uniqueness, bool] = msgspec.field(default_factory=dict)
    """False where a sample holds a row twice or an empty value; True where it does not."""
    repeated: dict[Repeat, float] = msgspec.field(default_factory=dict)
    """The share of sampled rows that hold the very value of the row they refer to, where they hold more than one value."""
    rows: dict[tuple[str, str], int] = msgspec.field(default_factory=dict)
    """How many rows a table has, counted to a bound."""
    said: list[str] = msgspec.field(default_factory=list)
    """What was left unasked, and why."""
