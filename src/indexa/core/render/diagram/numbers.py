"""Numbers in SVG."""

from __future__ import annotations


def short(number: float) -> str:
    """Write a number as short as it can be, to a tenth of a px."""
    return f"{number:.1f}".rstrip("0").rstrip(".")
