"""Connecting to a PostgreSQL source: read-only, bounded in time, every failure told in plain words."""

from __future__ import annotations

import configparser
import os
import re
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import psycopg
from psycopg import errors, pq

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.core.platforms import RefusedError

CONNECT_SECONDS = 10
STATEMENT_SECONDS = 300
LOCK_SECONDS = 3
IDLE_SECONDS = 60
_ROWS_AT_ONCE = 2_000


def parse_url(text: str, *, trusted: bool = False) -> tuple[Address, str]:
    """Split a postgresql:// URL or a libpq "key=value" line into an address and a password.

    Nothing but host, port, database, user, password and TLS mode is taken over. Those who run the command with their own
    rights (`trusted`) may name a service of the service file too, whose entries fill in what is left out. Raises
    SourceError if it can't be understood, or names a file of this machine, or holds a password outside of a URL.
    """
    try:
        parts = psycopg.conninfo.conninfo_to_dict(text.strip())
        if not trusted:
            _refuse_files(parts, is_url="://" in text)
        if service := parts.get("service"):
            parts = _service_entries(str(service)) | parts
        port = int(parts.get("port") or 5432)
    except (psycopg.ProgrammingError, ValueError) as error:
        reason = re.sub(r":[^:@/]*@", ":…@", str(error)).strip()
        raise SourceError(
            "url",
            "The connection URL can't be understood.",
            f"Write it as postgresql://user@host:5432/database. {reason}",
        ) from None
    address = Address(
        host=str(parts.get("host") or "127.0.0.1"),
        port=port,
        database=unquote(str(parts.get("dbname") or "")),
        user=str(parts.get("user") or ""),
        tls=str(parts.get("sslmode") or "prefer"),
    )
    return address, str(parts.get("password") or "")


_OF_THIS_MACHINE = {
    "service": "an entry of this server's service file",
    "servicefile": "a service file of this server",
    "passfile": "a password file of this server",
    "sslkey": "a key file of this server",
    "sslcert": "a certificate file of this server",
    "sslpassword": "the password of a key file of this server",
}


def _refuse_files(parts: Mapping[str, Any], *, is_url: bool) -> None:
    if named := next((name for name in _OF_THIS_MACHINE if parts.get(name)), ""):
        raise SourceError(
            "url-setting",
            f"“{named}” names {_OF_THIS_MACHINE[named]}, which a source may not use.",
            "Enter host, port, database, login and password.",
        )
    if parts.get("password") and not is_url:
        raise SourceError(
            "url-setting",
            "A line of settings may not hold a password.",
            "Leave it out and enter it in the field for the password.",
        )


def _service_entries(name: str) -> dict[str, Any]:
    """Return what the service file of this machine says of a service, by libpq's rules of where it lies."""
    places = [os.environ.get("PGSERVICEFILE") or "~/.pg_service.conf"]
    places.append(f"{os.environ.get('PGSYSCONFDIR', '/etc/postgresql-common')}/pg_service.conf")
    for place in places:
        file = configparser.ConfigParser(interpolation=None)
        try:
            file.read(Path(place).expanduser(), encoding="utf-8")
        except (configparser.Error, UnicodeDecodeError):
            continue
        if file.has_section(name):
            return dict(file[name])
    raise SourceError(
        "service",
        f"The service file of this machine knows no service “{name}”.",
        f"It is looked for in {' and '.join(places)}. Enter host, database and login instead.",
    )


@contextmanager
def open_reading(address: Address, password: str) -> Iterator[PostgreSQLReading]:
    """Open a read-only session and end it when the block ends. Raises SourceError, also from within."""
    try:
        # An autocommit connection: a lock that PostgreSQL takes to word a view ends with its statement.
        with psycopg.connect(
            host=address.host,
            port=address.port,
            dbname=address.database,
            user=address.user,
            password=password,
            sslmode=address.tls,
            passfile=os.devnull,
            connect_timeout=CONNECT_SECONDS,
            application_name="indexa intake",
            autocommit=True,
            options=" ".join(
                f"-c {name}={value}"
                for name, value in {
                    "default_transaction_read_only": "on",
                    "statement_timeout": f"{STATEMENT_SECONDS}s",
                    "lock_timeout": f"{LOCK_SECONDS}s",
                    "idle_in_transaction_session_timeout": f"{IDLE_SECONDS}s",
                    "search_path": "pg_catalog",
                    "jit": "off",
                }.items()
            ),
        ) as connection:
            yield PostgreSQLReading(connection)
    except psycopg.Error as error:
        raise explain(error, address) from None


class PostgreSQLReading:
    """An open session, as a platform wants it."""

    def __init__(self, connection: psycopg.Connection[tuple[Any, ...]]) -> None:
        self._connection = connection

    @property
    def version(self) -> str:
        """The server's version as it words it."""
        return self._connection.info.parameter_status("server_version") or ""

    def begin_snapshot(self) -> None:
        """Begin the one transaction that all later queries run in, with one snapshot."""
        self._connection.execute("begin isolation level repeatable read read only")

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run a query and yield its rows as they come."""
        with self._connection.cursor() as cursor:
            cursor.execute(query.encode(), parameters)
            while rows := cursor.fetchmany(_ROWS_AT_ONCE):
                yield from rows

    def bound(self, seconds: int) -> None:
        """Let no question to the rows take longer; what one of them breaks off takes no other with it."""
        if self._connection.info.transaction_status != pq.TransactionStatus.IDLE:
            self._connection.execute("rollback")
        self._connection.execute(f"set statement_timeout = '{int(seconds)}s'")

    def ask(self, query: str) -> tuple[Any, ...]:
        """Return the one row of a query. Raises RefusedError where the server refuses it or gives up."""
        try:
            (row,) = self._connection.execute(query.encode()).fetchall()
        except psycopg.Error as error:
            if self._connection.broken:
                raise
            raise RefusedError(_refusal(error)) from None
        return row


def _refusal(error: psycopg.Error) -> str:
    """Word why a question was refused, without the server's text where that may hold a value."""
    if isinstance(error, errors.InsufficientPrivilege):
        return _first_line(str(error))
    if isinstance(error, (errors.UndefinedTable, errors.UndefinedColumn)):
        return "a table or column no longer exists"
    return "it took too long" if isinstance(error, errors.QueryCanceled) else f"error {error.sqlstate}"


def explain(error: psycopg.Error, address: Address) -> SourceError:
    """Turn the driver's error into plain words. The driver's own text is never passed on whole."""
    text = str(error)
    where = f"{address.host}, port {address.port}"
    if isinstance(error, errors.InsufficientPrivilege):
        return SourceError(
            "permission",
            f"The login “{address.user}” may not read a part of the catalog.",
            f"Ask the database's administrator for it. The server said: {_first_line(text)}",
        )
    if isinstance(error, errors.QueryCanceled):
        return SourceError(
            "time-out",
            f"A catalog query took longer than {STATEMENT_SECONDS} seconds and was stopped.",
            "Choose fewer schemas, or read when the database is less busy.",
        )
    if isinstance(error, errors.LockNotAvailable):
        return SourceError(
            "locked",
            f"A view was being changed, and Indexa does not wait longer than {LOCK_SECONDS} seconds for a lock.",
            "Read again when the change is through.",
        )
    for pattern, code, message, hint in _FAILURES:
        if re.search(pattern, text, re.I):
            return SourceError(code, message.format(where=where, a=address), hint.format(where=where, a=address))
    return SourceError("database", "The database refused or broke off.", f"It said: {_first_line(text)}")


def _first_line(text: str) -> str:
    return text.strip().splitlines()[0][:300] if text.strip() else "nothing"


_FAILURES = [
    (
        r"failed to resolve host|could not translate host name|name or service not known|getaddrinfo",
        "host-unknown",
        "No host is known by the name “{a.host}”.",
        "Check the spelling, or enter the address in numbers.",
    ),
    (
        r"password authentication failed|no password supplied",
        "password",
        "The database did not accept the password of “{a.user}”.",
        "Enter the password again; check that the user name is right too.",
    ),
    (
        r'role ".*" does not exist',
        "user",
        "There is no login “{a.user}” on this server.",
        "Check the user name with the database's administrator.",
    ),
    (
        r'database ".*" does not exist',
        "no-database",
        "The server at {where} has no database “{a.database}”.",
        "Check the name; capital letters count.",
    ),
    (
        r"server does not support SSL|no pg_hba.conf entry .* no encryption|SSL off|ssl is not enabled",
        "tls-refused",
        "The server at {where} and this TLS mode do not go together.",
        "The server may offer no TLS, or insist on it: choose another TLS mode.",
    ),
    (
        r"certificate|SSL error|root\.crt",
        "tls-certificate",
        "The certificate of the server at {where} was not trusted.",
        "Ask for the certificate authority's file to be installed, or choose “TLS, any certificate”.",
    ),
    (
        r"no pg_hba.conf entry|not permitted to log in",
        "not-allowed",
        "The server at {where} does not let “{a.user}” in from this machine.",
        "Ask the database's administrator to allow this login to “{a.database}”.",
    ),
    (
        r"permission denied for database|permission denied for schema",
        "permission",
        "The login “{a.user}” has no right to connect to “{a.database}” or to use a schema in it.",
        "Ask the database's administrator for CONNECT on the database and USAGE on its schemas.",
    ),
    (
        r"connection refused",
        "nothing-listens",
        "Nothing answers at {where}.",
        "Check the port, and whether the database is running and listens to this machine.",
    ),
    (
        r"timeout expired|timed out|timeout|unreachable",
        "time-out",
        "{where} did not answer within the time allowed.",
        "Check host and port; a firewall may lie between.",
    ),
    (
        r"too many (connections|clients)|remaining connection slots",
        "busy",
        "The server at {where} takes no more connections now.",
        "Try again later.",
    ),
    (
        r"server closed the connection|terminating connection|connection .*lost|consuming input failed",
        "broken-off",
        "The connection to {where} was broken off.",
        "Nothing was kept of this reading; read again.",
    ),
]
