"""Snowflake."""

from __future__ import annotations

from functools import lru_cache

from indexa.core.intake.live_kit import BEYOND_A_KIT, KitPlatform
from indexa.core.scripts.dialect import Dialect

_ALIASES = {
    "INT": "NUMBER(38,0)", "INTEGER": "NUMBER(38,0)", "BIGINT": "NUMBER(38,0)", "SMALLINT": "NUMBER(38,0)", "TINYINT": "NUMBER(38,0)",
    "BYTEINT": "NUMBER(38,0)", "DECIMAL": "NUMBER", "NUMERIC": "NUMBER", "STRING": "VARCHAR", "TEXT": "VARCHAR", "CHARACTER VARYING": "VARCHAR",
    "NVARCHAR": "VARCHAR", "DOUBLE": "FLOAT", "DOUBLE PRECISION": "FLOAT", "REAL": "FLOAT", "FLOAT4": "FLOAT", "FLOAT8": "FLOAT",
    "DATETIME": "TIMESTAMP_NTZ", "TIMESTAMP": "TIMESTAMP_NTZ", "BOOL": "BOOLEAN", "VARBINARY": "BINARY",
    "TIMESTAMP WITHOUT TIME ZONE": "TIMESTAMP_NTZ", "TIMESTAMP WITH TIME ZONE": "TIMESTAMP_TZ", "TIMESTAMP WITH LOCAL TIME ZONE": "TIMESTAMP_LTZ",
}  # fmt: skip


@lru_cache(maxsize=4096)
def canonical_type(text: str) -> str:
    """Word a type as the information schema's synonyms go: every whole number is NUMBER(38,0)."""
    head, bracket, rest = " ".join(text.upper().split()).partition("(")
    word = _ALIASES.get(head.strip(), head.strip())
    if "(" in word and bracket:
        word, bracket, rest = "NUMBER", "", "(" + rest
    full = word + bracket + rest.replace(", ", ",").replace(" ", "") if bracket else word
    if full == "NUMBER":
        return "NUMBER(38,0)"
    return full if not full.startswith("NUMBER(") or "," in full else full[:-1] + ",0)"


DIALECT = Dialect(
    name="snowflake",
    fold="upper",
    case_matters=True,
    default_schema="PUBLIC",
    backslash=True,
    slash_comments=True,
    dollar_quotes=True,
    commands=r"!\w",
    canonical_type=canonical_type,
    nicknames=("snowflake",),
    signs=(
        (r"\bVARIANT\b", 8), (r"\bTIMESTAMP_(?:NTZ|LTZ|TZ)\b", 15), (r"\bTRANSIENT TABLE\b", 10), (r"\bCLUSTER BY\b", 5), (r"\bUSE WAREHOUSE\b", 15),
        (r"\bCREATE OR REPLACE (?:TRANSIENT )?TABLE\b", 5), (r"\bNUMBER\(38,\s*0\)", 10), (r"\bWITH TAG\b|\bMASKING POLICY\b", 10), (r"\bSTAGE\b", 2),
        (r"\bAUTOINCREMENT\s+(?:START|NOORDER|ORDER)\b", 10), (r"`", -5),
    ),
    parser="snowflake",
)  # fmt: skip
PLATFORM = KitPlatform(
    name="snowflake",
    label="Snowflake",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views"),
    cannot=BEYOND_A_KIT,
    hides="What the role has no privilege on, and keys from the 10,001st column in one on: SHOW tells no more.",
)
