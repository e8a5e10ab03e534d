"""The names under which people ask for a platform's dialect."""

from __future__ import annotations

import argparse

from indexa.core import platforms

_ALIASES = {
    "postgres": "postgresql",
    "pg": "postgresql",
    "pgsql": "postgresql",
    "mariadb": "mysql",
    "mssql": "sqlserver",
    "tsql": "sqlserver",
    "azuresql": "sqlserver",
    "ora": "oracle",
    "plsql": "oracle",
    "db2luw": "db2",
    "sqlite3": "sqlite",
    "gp": "greenplum",
    "bq": "bigquery",
}


def dialect(name: str) -> str:
    """Return the platform that a name or a usual alias means, "" for none. Raises ArgumentTypeError that lists what is known."""
    given = name.strip().lower().replace("-", "").replace("_", "")
    found = _ALIASES.get(given, given)
    if found and found not in platforms.names():
        aliases = ", ".join(f"{alias} for {platform}" for alias, platform in sorted(_ALIASES.items()))
        raise argparse.ArgumentTypeError(
            f"there is no dialect “{name}”. Known are {', '.join(platforms.names())}; also {aliases}."
        )
    return found
