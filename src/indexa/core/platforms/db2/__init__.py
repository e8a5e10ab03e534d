"""Db2 11 and later."""

from __future__ import annotations

from functools import lru_cache

from indexa.core.intake.live_kit import BEYOND_A_KIT, KitPlatform
from indexa.core.scripts.dialect import Dialect


@lru_cache(maxsize=4096)
def canonical_type(text: str) -> str:
    """Word a type in capitals without spaces inside its brackets."""
    if '"' in text:
        return text.replace('"', "").strip() if text.upper().startswith('"SYSIBM"') else text
    head, bracket, rest = " ".join(text.upper().split()).partition("(")
    inside, closing, after = rest.partition(")")
    word = {
        "INT": "INTEGER",
        "DEC": "DECIMAL",
        "NUMERIC": "DECIMAL",
        "CHAR": "CHARACTER",
        "CHARACTER VARYING": "VARCHAR",
        "CHAR VARYING": "VARCHAR",
    }
    return (
        word.get(head.strip(), head.strip())
        + bracket
        + inside.strip().replace(", ", ",").replace(" OCTETS", " OCTETS")
        + closing
        + after
    )


DIALECT = Dialect(
    name="db2",
    query_keeps=frozenset({"not null"}),
    fold="upper",
    case_matters=True,
    nested_comments=True,
    bare_default="SYSTEM DEFAULT",
    commands=r"CONNECT\s+(?:TO|RESET)\b|TERMINATE\b|UPDATE\s+COMMAND\b|QUIESCE\b|ECHO\b|!",
    canonical_type=canonical_type,
    nicknames=("db2", "ibmdb"),
    signs=(
        (r"\bWITH DEFAULT\b", 5), (r"\bFOR BIT DATA\b", 8), (r"@\s*$", 3), (r"\bSYSIBM\b|\bSYSCAT\b", 8), (r"--#SET TERMINATOR", 20), (r"\bVARGRAPHIC\b", 8),
        (r"\bGENERATED (?:ALWAYS|BY DEFAULT) AS IDENTITY\s*\(\s*START WITH", 3), (r"\bIN \"?\w+\"? INDEX IN\b", 10), (r"\bNOT LOGGED\b", 5),
        (r"\bCONNECT TO\b", 5), (r"\bCURRENT TIMESTAMP\b", 3), (r"\bORGANIZE BY\b", 8), (r"`", -5),
    ),
)  # fmt: skip
PLATFORM = KitPlatform(
    name="db2", label="Db2", dialect=DIALECT, has_kit=True, kinds=("tables", "views"), cannot=BEYOND_A_KIT
)
