"""DuckDB."""

from indexa.core.platforms import Platform
from indexa.core.platforms.duckdb.dialect import DIALECT

PLATFORM = Platform(name="duckdb", label="DuckDB", dialect=DIALECT, has_kit=True)
