"""Redshift: PostgreSQL's forms, names in lower case even where quoted, keys that are not enforced."""

from msgspec.structs import replace

from indexa.core.intake.live_kit import BEYOND_A_KIT, KitPlatform
from indexa.core.platforms.postgresql.dialect import DIALECT as POSTGRESQL

DIALECT = replace(
    POSTGRESQL,
    name="redshift",
    fold_quoted=True,
    serials={},
    canonical_default=None,
    names_constraints="",
    identity_default="always",
    nicknames=("redshift",),
    signs=(
        (r"\bDISTKEY\s*(?:[,(]|$|SORTKEY)", 20), (r"\bSORTKEY\s*\(|\b(?:COMPOUND|INTERLEAVED)\s+SORTKEY\b|\w\s+SORTKEY\s*(?:,|$)", 20),
        (r"\bDISTSTYLE\s+(?:KEY|ALL|EVEN|AUTO)\b", 20), (r"\bENCODE (?:lzo|zstd|az64|raw|bytedict|delta)\b", 20), (r"\bSUPER\b", 3),
    ),
    parser="redshift",
)  # fmt: skip
PLATFORM = KitPlatform(
    name="redshift",
    label="Redshift",
    dialect=DIALECT,
    has_kit=True,
    kinds=("tables", "views"),
    cannot=BEYOND_A_KIT,
    families={"super": "document", "hllsketch": "other"},
)
