"""Firebird 3 and later: from scripts, or live through the fallback reader."""

from __future__ import annotations

from indexa.core.platforms import Platform
from indexa.core.scripts.dialect import Dialect


def canonical_type(text: str) -> str:
    """Word a type in capitals."""
    return " ".join(text.upper().split()) if '"' not in text else text


DIALECT = Dialect(
    name="firebird",
    fold="upper",
    case_matters=True,
    commands=r"SET\s+(?:TERM|SQL\s+DIALECT|NAMES|AUTODDL|STAT|ECHO|BAIL)\b|CONNECT\b|INPUT\b|OUTPUT\b|IN\s|SHOW\b|EXIT\b|QUIT\b",
    canonical_type=canonical_type,
    nicknames=("firebird", "interbase", "fdb"),
    signs=(
        (r"\bSET TERM\b", 20), (r"\bSET SQL DIALECT\b", 20), (r"\bBLOB SUB_TYPE\b", 10), (r"\bCREATE GENERATOR\b", 10), (r"\bRECREATE\b", 8),
        (r"\bCOMPUTED BY\b", 8), (r"\bGEN_ID\s*\(", 5), (r"\bRDB\$", 5),
    ),
)  # fmt: skip
PLATFORM = Platform(name="firebird", label="Firebird", dialect=DIALECT)
