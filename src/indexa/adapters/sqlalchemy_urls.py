"""SQLAlchemy URLs of sources: what of one is let through to a driver, and how its session is bounded.

A dialect hands nearly everything in a URL to its driver, and drivers take settings that name other hosts, sockets and
files. So settings are let through by name only, and the host is looked at where the driver is told it.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError

from indexa.adapters.errors import SourceError

CONNECT_SECONDS = 10
STATEMENT_SECONDS = 300
LOCK_SECONDS = 3
_DEFAULT_PORTS = {"postgresql": 5432, "mysql": 3306, "mariadb": 3306, "mssql": 1433, "oracle": 1521, "firebird": 3050}
_HOST_NAMES = frozenset({"host", "hostname", "server", "servername", "data source"})
_PLAIN = frozenset({
    *_HOST_NAMES, "port", "user", "username", "uid", "password", "passwd", "pwd", "database", "db", "dbname", "dsn", "charset", "role",
    "check_same_thread", "client_flag", "service_name", "encoding", "schema", "catalog", "application_name", "client_encoding",
})  # fmt: skip
"""What a driver may be told besides what `_Policy.settings` adds."""


class _Policy(msgspec.Struct, frozen=True):
    """What holds for one backend: settings of a URL that harm nothing, and what calms and bounds each session."""

    allowed: frozenset[str] = frozenset()
    statements: tuple[str, ...] = ()
    optional: tuple[str, ...] = ()
    """Statements of which the server knows one: MariaDB and MySQL word a limit differently."""


_MYSQL = _Policy(
    frozenset({"charset"}),
    ("set session transaction read only", f"set session lock_wait_timeout = {LOCK_SECONDS}"),
    (f"set session max_statement_time = {STATEMENT_SECONDS}", f"set session max_execution_time = {STATEMENT_SECONDS}000"),
)  # fmt: skip
_POLICIES = {
    "postgresql": _Policy(
        frozenset({"application_name", "client_encoding"}),
        (
            "set session characteristics as transaction read only",
            f"set statement_timeout = '{STATEMENT_SECONDS}s'",
            f"set lock_timeout = '{LOCK_SECONDS}s'",
            "set idle_in_transaction_session_timeout = '60s'",
        ),
    ),
    "mysql": _MYSQL,
    "mariadb": _MYSQL,
    "mssql": _Policy(
        frozenset({"charset"}),
        ("set transaction isolation level read uncommitted", f"set lock_timeout {LOCK_SECONDS}000"),
    ),
    "oracle": _Policy(frozenset({"service_name"}), ("set transaction read only",)),
    "firebird": _Policy(frozenset({"charset", "role"})),
    "sqlite": _Policy(statements=("pragma query_only = 1", "pragma trusted_schema = 0")),
}
_SETTINGS: dict[str, dict[str, Any]] = {
    "pymysql": {"local_infile": False, "connect_timeout": CONNECT_SECONDS, "read_timeout": STATEMENT_SECONDS + 10},
    "mysqldb": {"local_infile": 0, "connect_timeout": CONNECT_SECONDS, "read_timeout": STATEMENT_SECONDS + 10},
    "mysqlconnector": {"allow_local_infile": False, "connection_timeout": CONNECT_SECONDS},
    "mariadbconnector": {"local_infile": False, "connect_timeout": CONNECT_SECONDS, "read_timeout": STATEMENT_SECONDS + 10},
    "cymysql": {"local_infile": False, "connect_timeout": CONNECT_SECONDS},
    "psycopg": {"connect_timeout": CONNECT_SECONDS, "passfile": "/dev/null"},
    "psycopg2": {"connect_timeout": CONNECT_SECONDS, "passfile": "/dev/null"},
    "pg8000": {"timeout": STATEMENT_SECONDS},
    "pymssql": {"login_timeout": CONNECT_SECONDS, "timeout": STATEMENT_SECONDS},
    "oracledb": {"tcp_connect_timeout": CONNECT_SECONDS},
}  # fmt: skip
"""What each driver is told whatever the URL says: it hands out no file of this machine, and it does not wait for ever."""
_WITHOUT_SERVER = frozenset({"sqlite", "firebird"})
"""Backends that open a file of this machine where a URL names no host."""


class OtherAddress(msgspec.Struct, frozen=True):
    """A URL as its driver gets it: host and port, or the path of a file; and what its session begins with."""

    url: URL
    backend: str
    host: str = ""
    port: int = 0
    path: str = ""
    settings: dict[str, Any] = {}
    statements: tuple[str, ...] = ()
    optional: tuple[str, ...] = ()


def parse_other(text: str, *, trusted: bool = False) -> OtherAddress:
    """Take a URL apart. Raises SourceError for what is no URL, for an unknown dialect and for settings that are not allowed.

    `trusted` lets every setting through: for those who run the command with their own rights.
    """
    try:
        url = make_url(text)
        dialect = url.get_dialect()
        backend, driver = url.get_backend_name(), url.get_driver_name()
        if getattr(dialect, "is_async", False):
            raise ArgumentError(f"{driver} answers asynchronously; choose another driver")
        policy = _POLICIES.get(backend, _Policy())
        if not trusted:
            _check_query(url, policy)
            _check_marks(url)
        positional, keywords = dialect().create_connect_args(url)
    except (ArgumentError, NoSuchModuleError, ImportError, ValueError, TypeError) as error:
        raise SourceError(
            "url", "No dialect fits this URL.", f"{str(error)[:200]}. The dialect's package may not be installed."
        ) from None
    settings = dict(_SETTINGS.get(driver, {}))
    if not trusted:
        _check_arguments(url, backend, list(positional), dict(keywords))
    if backend == "firebird" and url.host:  # this dialect keeps the host to itself
        settings["database"] = f"{url.host}/{url.port or _DEFAULT_PORTS[backend]}:{url.database or ''}"
    return OtherAddress(
        url=url, backend=backend, host=url.host or "", port=url.port or _DEFAULT_PORTS.get(backend, 0),
        path="" if url.host else url.database or "", settings=settings, statements=policy.statements, optional=policy.optional,
    )  # fmt: skip


def with_path(address: OtherAddress, path: Path) -> OtherAddress:
    """Return the address with the real path of its file, as it was looked at."""
    return msgspec.structs.replace(address, url=address.url.set(database=str(path)), path=str(path))


def _check_query(url: URL, policy: _Policy) -> None:
    if refused := sorted(set(url.query) - policy.allowed):
        allowed = ", ".join(sorted(policy.allowed)) or "none"
        raise SourceError(
            "url-setting",
            f"The URL sets “{refused[0]}”, which a source may not set.",
            f"Settings that a URL of this dialect may hold: {allowed}. Host, port, database and login stand before the “?”.",
        )


def _check_marks(url: URL) -> None:
    """Refuse what a driver that puts a line of settings together would take for another setting."""
    for name, value in {"host": url.host, "database": url.database, "login": url.username}.items():
        if value and any(mark in value for mark in ";=()\0\n"):
            raise SourceError("url", f"The {name} in the URL holds a character that no {name} has.", "Check the URL.")
    if url.host and any(mark in url.host for mark in ",/\\@ "):
        raise SourceError("url", "The URL names more than one host.", "Name one host.")
    if url.host and url.get_backend_name() == "firebird" and ":" in (url.database or ""):
        raise SourceError("url", "The database in the URL names another host.", "Name one host.")


def _check_arguments(url: URL, backend: str, positional: list[Any], keywords: dict[str, Any]) -> None:
    """Refuse a URL whose driver would be told more than host, port, database and login, or another host."""
    if refused := sorted(set(keywords) - _PLAIN):
        raise SourceError(
            "url-setting",
            f"The dialect would set “{refused[0]}”, which a source may not set.",
            "Choose another driver.",
        )
    if not url.host:
        if backend not in _WITHOUT_SERVER:
            raise SourceError("url", "The URL names no host.", "Write the host between “://” and the database.")
        return
    message = [str(value) for name, value in keywords.items() if name.lower() in _HOST_NAMES]
    message += [text for text in positional if isinstance(text, str)]
    if backend != "firebird" and not any(url.host.lower() in text.lower() for text in message):
        raise SourceError("url", "The dialect does not say which host it connects to.", "Choose another driver.")
    if any(name.lower() in _HOST_NAMES and str(value).lower() != url.host.lower() for name, value in keywords.items()):
        raise SourceError("url", "The dialect would connect to another host.", "Choose another driver.")
