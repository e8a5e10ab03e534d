"""Informix, from scripts."""

from __future__ import annotations

from indexa.core.platforms import Platform
from indexa.core.scripts.dialect import Dialect


def canonical_type(text: str) -> str:
    """Word a type in lower case."""
    return " ".join(text.lower().split()) if '"' not in text else text


DIALECT = Dialect(
    name="informix",
    fold="lower",
    brace_comments=True,
    bodies="end",
    identity_types=frozenset({"serial", "serial8", "bigserial"}),
    canonical_type=canonical_type,
    nicknames=("informix",),
    signs=(
        (r"\bLVARCHAR\b", 10), (r"\bEXTENT SIZE\b", 20), (r"\bLOCK MODE (?:ROW|PAGE)\b", 20), (r"\bDATETIME YEAR TO\b", 20), (r"\bSERIAL8\b", 5),
        (r"\"informix\"\.", 20), (r"\bEND PROCEDURE\b", 5), (r"^\{", 3),
    ),
)  # fmt: skip
PLATFORM = Platform(
    name="informix",
    label="Informix",
    dialect=DIALECT,
    kinds=("tables", "views", "types", "sequences", "routines", "triggers"),
)
