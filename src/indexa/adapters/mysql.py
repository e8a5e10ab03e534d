"""Connecting to a MariaDB or MySQL source: read-only, bounded in time, every failure told in plain words."""

from __future__ import annotations

import ssl
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import pymysql
from pymysql import err
from pymysql.constants import CLIENT
from pymysql.cursors import SSCursor

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.core.platforms import RefusedError

CONNECT_SECONDS = 10
STATEMENT_SECONDS = 300
LOCK_SECONDS = 3


@contextmanager
def open_reading(address: Address, password: str) -> Iterator[MySQLReading]:
    """Open a read-only session and end it when the block ends. Raises SourceError, also from within."""
    try:
        connection = connect(address, password)
        try:
            reading = MySQLReading(connection)
            reading.prepare()
            yield reading
        finally:
            connection.close()
    except (err.Error, OSError, RuntimeError) as error:
        raise explain(error, address) from None


def connect(
    address: Address, password: str, *, seconds: int = STATEMENT_SECONDS, name: str = "indexa intake"
) -> pymysql.Connection[Any]:
    """Connect; an answer may take so many seconds. Raises pymysql's errors, and OSError."""
    settings: dict[str, Any] = {
        "host": address.host,
        "port": address.port,
        "user": address.user,
        "password": password,
        "charset": "utf8mb4",
        "connect_timeout": CONNECT_SECONDS,
        "read_timeout": seconds + 10,
        "client_flag": CLIENT.MULTI_STATEMENTS & 0,
        "local_infile": False,
        "autocommit": True,
        "program_name": name,
    }
    if address.tls == "disable":
        return pymysql.connect(**settings, ssl_disabled=True)
    context = ssl.create_default_context()
    if address.tls in ("prefer", "require"):
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    elif address.tls == "verify-ca":
        context.check_hostname = False
    try:
        return pymysql.connect(**settings, ssl=context)
    except err.OperationalError as error:
        if address.tls == "prefer" and error.args[0] in (2026, 2003, 1045) and "SSL" in str(error):
            return pymysql.connect(**settings, ssl_disabled=True)
        raise


class MySQLReading:
    """An open session, as a platform wants it."""

    def __init__(self, connection: pymysql.Connection[Any]) -> None:
        self._connection = connection

    def prepare(self) -> None:
        """Bound statements and locks in time and refuse every write."""
        mariadb = "mariadb" in self.version.lower()
        limit = (
            f"set session max_statement_time = {STATEMENT_SECONDS}"
            if mariadb
            else f"set session max_execution_time = {STATEMENT_SECONDS}000"
        )
        with self._connection.cursor() as cursor:
            cursor.execute("set session transaction read only")
            cursor.execute(limit)
            cursor.execute(f"set session lock_wait_timeout = {LOCK_SECONDS}")
            cursor.execute("set session group_concat_max_len = 1000000")

    @property
    def version(self) -> str:
        """The server's version as it words it."""
        return str(self._connection.get_server_info())

    def begin_snapshot(self) -> None:
        """Begin the one transaction that all later queries run in. The catalog itself has no snapshots here."""
        with self._connection.cursor() as cursor:
            cursor.execute("start transaction read only")

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run a query and return its rows, taken from the server at once: the next query may run meanwhile."""
        with SSCursor(self._connection) as cursor:
            cursor.execute(query, dict(parameters))
            return list(cursor.fetchall_unbuffered())

    def bound(self, seconds: int) -> None:
        """Let no question to the rows take longer."""
        mariadb = "mariadb" in self.version.lower()
        limit = f"max_statement_time = {int(seconds)}" if mariadb else f"max_execution_time = {int(seconds)}000"
        with self._connection.cursor() as cursor:
            cursor.execute(f"set session {limit}")

    def ask(self, query: str) -> tuple[Any, ...]:
        """Return the one row of a query. Raises RefusedError where the server refuses it or gives up."""
        try:
            with self._connection.cursor() as cursor:
                cursor.execute(query)
                (row,) = cursor.fetchall()
        except err.Error as error:
            if not self._connection.open:
                raise
            raise RefusedError(_refusal(error)) from None
        return tuple(row)


def _refusal(error: err.Error) -> str:
    """Word why a question was refused, without the server's text where that may hold a value."""
    number = error.args[0] if error.args else 0
    if number in (1142, 1143) and len(error.args) > 1:
        return str(error.args[1]).splitlines()[0][:300]
    if number in (1054, 1146):
        return "a table or column no longer exists"
    return "it took too long" if number in (1969, 3024) else f"error {number}"


def explain(error: Exception, address: Address) -> SourceError:
    """Turn the driver's error into plain words."""
    where = f"{address.host}, port {address.port}"
    if isinstance(error, RuntimeError) and "LOAD_LOCAL" in str(error):
        return SourceError(
            "asks-for-file",
            f"The server at {where} asked for a file of this machine; it got none.",
            "No honest server does that. Nothing was read from it; check the address with whoever runs it.",
        )
    number = error.args[0] if error.args and isinstance(error.args[0], int) else 0
    text = str(error.args[1] if len(error.args) > 1 else error).splitlines()[0][:300] if str(error) else "nothing"
    if number in _FAILURES:
        code, message, hint = _FAILURES[number]
        return SourceError(code, message.format(where=where, a=address), hint.format(where=where, a=address))
    if number == 2003:
        if "Name or service not known" in text or "getaddrinfo" in text:
            return SourceError(
                "host-unknown",
                f"No host is known by the name “{address.host}”.",
                "Check the spelling, or enter the address in numbers.",
            )
        if "timed out" in text:
            return SourceError(
                "time-out",
                f"{where} did not answer within the time allowed.",
                "Check host and port; a firewall may lie between.",
            )
        hint = "Check the port, and whether the database is running and listens to this machine."
        return SourceError("nothing-listens", f"Nothing answers at {where}.", hint)
    return SourceError("database", "The database refused or broke off.", f"It said: {text}")


_FAILURES = {
    1045: ("password", "The database did not accept the login “{a.user}” or its password.", "Enter the password again; check that the user name is right too."),
    1698: ("password", "The database did not accept the login “{a.user}” or its password.", "Enter the password again; check that the user name is right too."),
    1044: ("permission", "The login “{a.user}” has no right to “{a.database}”.", "Ask the database's administrator for SELECT on its tables."),
    1142: ("permission", "The login “{a.user}” may not read a part of the catalog.", "Ask the database's administrator for SELECT and SHOW VIEW."),
    1049: ("no-database", "The server at {where} has no database “{a.database}”.", "Check the name; capital letters may count."),
    1130: ("not-allowed", "The server at {where} does not let “{a.user}” in from this machine.", "Ask the database's administrator to allow this host."),
    1040: ("busy", "The server at {where} takes no more connections now.", "Try again later."),
    1205: ("locked", "A table was being changed, and Indexa does not wait longer for a lock.", "Read again when the change is through."),
    1969: ("time-out", "A catalog query took too long and was stopped.", "Choose fewer schemas, or read when the database is less busy."),
    3024: ("time-out", "A catalog query took too long and was stopped.", "Choose fewer schemas, or read when the database is less busy."),
    2013: ("broken-off", "The connection to {where} was broken off.", "Nothing was kept of this reading; read again."),
    2006: ("broken-off", "The connection to {where} was broken off.", "Nothing was kept of this reading; read again."),
    2026: ("tls-refused", "The server at {where} and this TLS mode do not go together.", "The server may offer no TLS, or insist on it: choose another mode."),
}  # fmt: skip
