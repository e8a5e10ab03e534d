"""Where a database is, for all platforms: host and port, or a file; the password is no part of it."""

from __future__ import annotations

from urllib.parse import parse_qs, unquote, urlsplit

import msgspec

from indexa.adapters.errors import SourceError

TLS_MODES = {
    "prefer": "Use TLS where the server offers it",
    "require": "TLS, any certificate",
    "verify-ca": "TLS, certificate from a trusted authority",
    "verify-full": "TLS, trusted certificate for this very host",
    "disable": "No TLS",
}
PORTS = {
    "postgresql": 5432, "greenplum": 5432, "redshift": 5439, "mysql": 3306, "sqlserver": 1433, "oracle": 1521, "db2": 50000, "teradata": 1025,
    "snowflake": 443,
}  # fmt: skip
"""The port each platform's servers usually listen on; a platform that is not here is read from a file."""
_SCHEMES = {
    "postgresql": "postgresql", "postgres": "postgresql", "mysql": "mysql", "mariadb": "mysql", "greenplum": "greenplum", "redshift": "redshift",
    "sqlserver": "sqlserver", "mssql": "sqlserver", "oracle": "oracle", "db2": "db2", "teradata": "teradata", "snowflake": "snowflake",
    "sqlite": "sqlite", "duckdb": "duckdb",
}  # fmt: skip


class Address(msgspec.Struct, frozen=True):
    """Host, port, database and login of a server; of a file its path in `database`."""

    host: str = "127.0.0.1"
    port: int = 5432
    database: str = ""
    user: str = ""
    tls: str = "prefer"


def platform_of(url: str) -> str:
    """Return the platform that a URL's scheme stands for, "" where it has none that is known."""
    scheme = url.strip().split("://", 1)[0].split("+")[0].lower() if "://" in url else ""
    return _SCHEMES.get(scheme, "")


def parse_address(url: str) -> tuple[str, Address, str]:
    """Split a URL of any platform but PostgreSQL into platform, address and password. Raises SourceError."""
    platform = platform_of(url)
    if not platform:
        raise SourceError(
            "url",
            "The connection URL can't be understood.",
            f"It begins with one of {', '.join(sorted(_SCHEMES))} and “://”.",
        )
    try:
        parts = urlsplit(url.strip())
        port = parts.port or PORTS.get(platform, 0)
    except ValueError as error:
        raise SourceError("url", "The connection URL can't be understood.", str(error)[:200]) from None
    if platform not in PORTS:
        path = unquote(parts.netloc + parts.path)
        return platform, Address("", 0, path.removeprefix("/") if path.startswith("//") else path), ""
    tls = parse_qs(parts.query).get("tls", ["prefer"])[0]
    address = Address(
        parts.hostname or "127.0.0.1", port, unquote(parts.path.lstrip("/")), unquote(parts.username or ""), tls
    )
    return platform, address, unquote(parts.password or "")
