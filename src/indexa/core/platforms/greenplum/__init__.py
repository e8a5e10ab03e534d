"""Greenplum 6 and later: PostgreSQL's SQL with a distribution for each table."""

from msgspec.structs import replace

from indexa.core.intake.live_kit import BEYOND_A_KIT, KitPlatform
from indexa.core.platforms.postgresql.dialect import DIALECT as POSTGRESQL

DIALECT = replace(
    POSTGRESQL,
    name="greenplum",
    nicknames=("greenplum",),
    signs=(
        (r"\bDISTRIBUTED (?:BY|RANDOMLY|REPLICATED)\b", 40),
        (r"\bappendonly\s*=", 10),
        (r"\bgp_\w+", 3),
        (r"\bOWNER TO\b", 2),
        (r"::\w", 2),
    ),
)
PLATFORM = KitPlatform(
    name="greenplum", label="Greenplum", dialect=DIALECT, has_kit=True, kinds=("tables", "views"), cannot=BEYOND_A_KIT
)
