"""SQL Server 2016 and later."""

from __future__ import annotations

from functools import lru_cache

from indexa.core.intake.live_kit import BEYOND_A_KIT, KitPlatform
from indexa.core.scripts.dialect import Dialect


@lru_cache(maxsize=4096)
def canonical_type(text: str) -> str:
    """Take the brackets off a type that needs none and write it as the catalog does."""
    bare = text.replace("[", "").replace("]", "")
    head, bracket, rest = bare.partition("(")
    head = head.strip().removeprefix("sys.")
    word = {
        "integer": "int",
        "dec": "decimal",
        "numeric": "numeric",
        "character": "char",
        "char varying": "varchar",
        "rowversion": "timestamp",
        "national character varying": "nvarchar",
        "national char varying": "nvarchar",
        "character varying": "varchar",
        "double precision": "float",
    }
    lowered = head.lower()
    return (word.get(lowered, lowered if "." not in head else head) + bracket + rest.lower().replace(" ", "")).strip()  # fmt: skip


DIALECT = Dialect(
    name="sqlserver",
    query_keeps=frozenset({"not null"}),
    routines_share_names=False,
    default_schema="dbo",
    identifier_quotes='"[',
    inline_indexes=True,
    bodies="go",
    identity_default="always",
    commands=r":(?:setvar|r|connect|on error)\b",
    canonical_type=canonical_type,
    nicknames=("sqlserver", "mssql", "tsql", "sqlsrv"),
    signs=(
        (r"^GO\s*$", 10), (r"\[dbo\]", 10), (r"\bnvarchar\b", 3), (r"\bIDENTITY\s*\(", 5), (r"\bNONCLUSTERED\b|\bCLUSTERED\b", 5),
        (r"\bsp_addextendedproperty\b", 10), (r"\bSET (?:ANSI_NULLS|QUOTED_IDENTIFIER|NOCOUNT)\b", 8), (r"\[\w+\]", 2), (r"\bdatetime2\b|\bbit\b", 2),
        (r"\buniqueidentifier\b", 5), (r"`", -5), (r"\bPRINT N?'", 2),
    ),
    nested_comments=True,
    parser="tsql",
)  # fmt: skip
PLATFORM = KitPlatform(
    name="sqlserver",
    label="SQL Server",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views"),
    cannot=BEYOND_A_KIT,
    hides="What the login has no permission on: the catalog does not show it. VIEW DEFINITION on the database shows all.",
    families={"timestamp": "binary", "bit": "yes or no"},
)
