"""Oracle 12 and later."""

from __future__ import annotations

import re
from functools import lru_cache

from indexa.core.intake.live_kit import BEYOND_A_KIT, KitPlatform
from indexa.core.scripts.dialect import Dialect

_ALIASES = {
    "VARCHAR": "VARCHAR2", "INTEGER": "NUMBER(38)", "INT": "NUMBER(38)", "SMALLINT": "NUMBER(38)", "NUMERIC": "NUMBER", "DECIMAL": "NUMBER",
    "DEC": "NUMBER", "CHARACTER": "CHAR", "CHARACTER VARYING": "VARCHAR2", "NATIONAL CHARACTER VARYING": "NVARCHAR2",
    "NATIONAL CHARACTER": "NCHAR", "DOUBLE PRECISION": "FLOAT(126)", "REAL": "FLOAT(63)",
}  # fmt: skip


@lru_cache(maxsize=4096)
def canonical_type(text: str) -> str:
    """Word a type as the data dictionary does: "varchar(20 byte)" becomes "VARCHAR2(20 BYTE)"."""
    if '"' in text:
        return text
    upper = " ".join(text.upper().split())
    head, bracket, rest = upper.partition("(")
    word = _ALIASES.get(head.strip(), head.strip())
    if "(" in word:
        bracket = rest = ""
    return re.sub(r"\s*,\s*", ",", f"{word}{bracket}{rest}")


DIALECT = Dialect(
    name="oracle",
    query_keeps=frozenset({"not null"}),
    fold="upper",
    case_matters=True,
    bodies="slash",
    q_quotes=True,
    identity_default="always",
    commands=r"(?:PROMPT|SPOOL|REM|REMARK|WHENEVER|DEFINE|UNDEFINE|ACCEPT|EXIT|QUIT|CONNECT|CONN|START|COLUMN|VARIABLE|SHOW|PAUSE|HOST|TTITLE|"
    r"CLEAR|EXECUTE|EXEC)\b|@@?\s*[\w./\\$&]|!|SET\s+(?:DEFINE|ECHO|FEEDBACK|SERVEROUTPUT|PAGESIZE|PAGES|LINESIZE|LINES|VERIFY|HEADING|TERMOUT|"
    r"SCAN|TIMING|TERM|FEED|HEAD|TRIMSPOOL|SQLBLANKLINES|LONG|AUTOCOMMIT|ESCAPE|SQLT\w*|SQLP\w*|CONCAT|TAB|WRAP|NUMWIDTH|CMDSEP|SUFFIX|SHOWMODE|"
    r"TRIM|COLSEP|EMBEDDED|NEWPAGE|NUMFORMAT|NULL|ARRAYSIZE|LONGCHUNKSIZE|UNDERLINE|AUTOTRACE|AUTOPRINT|DEF|SERVEROUT)\b",
    canonical_type=canonical_type,
    nicknames=("oracle", "ora", "plsql"),
    signs=(
        (r"\bVARCHAR2\b", 10),
        (r"\.NEXTVAL\b", 5), (r"\bNUMBER\s*\(", 5), (r"^/\s*$", 3), (r"\bNOT NULL ENABLE\b", 8), (r"\bTABLESPACE\b", 2), (r"^(?:PROMPT|SPOOL)\b", 8),
        (r"\bSYSDATE\b", 4), (r"\bCLOB\b", 1), (r"\bPCTFREE\b", 5), (r"\bSEGMENT CREATION\b", 10), (r"\bCREATE OR REPLACE (?:TRIGGER|PACKAGE)\b", 3),
        (r"`", -5), (r"\bENGINE\s*=", -5),
    ),
    parser="oracle",
)  # fmt: skip
PLATFORM = KitPlatform(
    name="oracle",
    label="Oracle",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views"),
    cannot=BEYOND_A_KIT,
    hides="What the login has no privilege on: the ALL_ views do not show it. SELECT ANY TABLE or SELECT_CATALOG_ROLE shows all.",
    families={"date": "date and time", "raw": "binary"},
)
