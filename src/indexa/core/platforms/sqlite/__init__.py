"""SQLite."""

from indexa.core.platforms import Platform
from indexa.core.platforms.sqlite.dialect import DIALECT

PLATFORM = Platform(name="sqlite", label="SQLite", dialect=DIALECT, has_kit=True)
