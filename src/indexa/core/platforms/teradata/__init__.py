"""Teradata 16 and later."""

from __future__ import annotations

from indexa.core.intake.live_kit import BEYOND_A_KIT, KitPlatform
from indexa.core.scripts.dialect import Dialect


def canonical_type(text: str) -> str:
    """Word a type in capitals."""
    return " ".join(text.upper().split()) if '"' not in text else text


DIALECT = Dialect(
    name="teradata",
    adding_changes=True,
    use_names_schema=True,
    commands=r"\.\w|BT\s*;|ET\s*;",
    canonical_type=canonical_type,
    nicknames=("teradata", "bteq"),
    signs=(
        (r"\bPRIMARY INDEX\b", 15), (r"\bMULTISET TABLE\b", 15), (r"\bNO FALLBACK\b|,\s*FALLBACK\b", 10), (r"\bCASESPECIFIC\b", 10), (r"\bBYTEINT\b", 8),
        (r"\bCOLLECT STAT", 8), (r"^\.(?:LOGON|SET|IF|LOGOFF)\b", 8), (r"\bREPLACE VIEW\b", 5), (r"\bFORMAT '", 3),
    ),
    parser="teradata",
)  # fmt: skip
PLATFORM = KitPlatform(
    name="teradata",
    label="Teradata",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views"),
    cannot=BEYOND_A_KIT,
    hides="What the login has no right on, where the administrator has restricted the DBC views to own objects.",
    families={"byte": "binary", "varbyte": "binary"},
)
