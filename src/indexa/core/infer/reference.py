"""A reference between two tables, as proposals about their parts need it."""

from __future__ import annotations

import msgspec


class Reference(msgspec.Struct, frozen=True):
    """A reference that was found, or is declared: numbers of the two tables and their columns."""

    table: int
    columns: tuple[str, ...]
    ref_table: int
    ref_columns: tuple[str, ...]
    confidence: float
