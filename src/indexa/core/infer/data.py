"""What the rows of a source say, asked by bounded queries: which columns hold no value twice, which values stand elsewhere."""

from __future__ import annotations

import msgspec

Inclusion = tuple[str, str, str, str, str, str]
"""Schema, table and column, and the schema, table and column that they may refer to."""
Uniqueness = tuple[str, str, tuple[str, ...]]
"""Schema, table and columns."""


class DataSaid(msgspec.Struct):
    """Answers of a source. What was not asked, or had no rows, is not in it."""

    included: dict[Inclusion, float] = msgspec.field(default_factory=dict)
    """The share of the sampled values, none of them empty, that stand in the other column."""
    unique: dict[Uniqueness, bool] = msgspec.field(default_factory=dict)
    """False where a sample holds a row twice or an empty value; True where it does not."""
    said: list[str] = msgspec.field(default_factory=list)
    """What was left unasked, and why."""
