"""Platforms whose drivers are optional: one entry each; a driver that is not installed is named, with what to install."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from importlib import import_module
from typing import Any

import msgspec

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError

CONNECT_SECONDS = 10
STATEMENT_SECONDS = 300


class Driver(msgspec.Struct, frozen=True):
    """How to connect through one driver: its module, its package, its settings, and what bounds and calms a session."""

    module: str
    package: str
    settings: Callable[[Address, str], dict[str, Any]]
    first: tuple[str, ...] = ()
    doubled_percent: bool = True
    """Whether the driver wants "%" doubled in a query even without parameters."""


DRIVERS = {
    "sqlserver": Driver(
        "pymssql",
        "pymssql",
        lambda a, p: {
            "server": a.host, "port": str(a.port), "user": a.user, "password": p, "database": a.database,
            "login_timeout": CONNECT_SECONDS, "timeout": STATEMENT_SECONDS, "autocommit": True, "appname": "indexa intake",
        },
        ("set transaction isolation level read uncommitted", "set lock_timeout 3000"),
        doubled_percent=False,
    ),
    "oracle": Driver(
        "oracledb",
        "oracledb",
        lambda a, p: {
            "user": a.user, "password": p, "host": a.host, "port": a.port, "service_name": a.database, "tcp_connect_timeout": CONNECT_SECONDS,
            "protocol": "tcps" if a.tls in ("require", "verify-ca", "verify-full") else "tcp",
        },
        ("set transaction read only",),
        doubled_percent=False,
    ),
    "db2": Driver(
        "ibm_db_dbi",
        "ibm_db",
        lambda a, p: {
            "dsn": f"DATABASE={a.database};HOSTNAME={a.host};PORT={a.port};PROTOCOL=TCPIP;UID={a.user};PWD={p};CONNECTTIMEOUT={CONNECT_SECONDS};",
        },
        ("set current isolation ur", "set current lock timeout 3"),
        doubled_percent=False,
    ),
    "teradata": Driver(
        "teradatasql",
        "teradatasql",
        lambda a, p: {"host": a.host, "dbs_port": str(a.port), "user": a.user, "password": p, "database": a.database or "DBC"},
        doubled_percent=False,
    ),
    "snowflake": Driver(
        "snowflake.connector",
        "snowflake-connector-python",
        lambda a, p: {
            "account": a.host, "user": a.user, "password": p, "database": a.database, "login_timeout": CONNECT_SECONDS,
            "network_timeout": STATEMENT_SECONDS, "session_parameters": {"STATEMENT_TIMEOUT_IN_SECONDS": STATEMENT_SECONDS},
        },
        doubled_percent=False,
    ),
}  # fmt: skip


@contextmanager
def open_reading(platform: str, address: Address, password: str) -> Iterator[DriverReading]:
    """Open a session through an optional driver and end it when the block ends. Raises SourceError, also from within."""
    driver = DRIVERS[platform]
    _refuse_marks(address, password)
    try:
        module = import_module(driver.module)
    except ImportError:
        raise SourceError(
            "no-driver",
            f"The driver for this platform is not installed ({driver.package}).",
            f"Whoever runs this server can install it: pip install {driver.package}. A field kit or a script needs none.",
        ) from None
    try:
        connection = module.connect(**driver.settings(address, password))
    except Exception as error:
        raise _explain(error, address, password) from None
    try:
        reading = DriverReading(connection, doubled_percent=driver.doubled_percent)
        for statement in driver.first:
            reading.run(statement)
        yield reading
    except SourceError:
        raise
    except module.Error as error:
        raise _explain(error, address, password) from None
    finally:
        connection.close()


_MARKS = ";()=\0\n{}"


def _refuse_marks(address: Address, password: str) -> None:
    """Refuse what a driver that puts a line of settings together would take for another setting."""
    values = {"host": address.host, "database": address.database, "login": address.user}
    for name, value in values.items():
        if any(mark in value for mark in _MARKS):
            raise SourceError("address", f"The {name} holds a character that no {name} has.", "Check the address.")
    if any(mark in password for mark in ";\0\n"):
        raise SourceError(
            "address",
            "The password holds a character that this driver does not accept.",
            "Use a login whose password has no “;”.",
        )


def _explain(error: Exception, address: Address, password: str) -> SourceError:
    message = " ".join(str(error).split())[:300]
    if password:
        message = message.replace(password, "…")
    return SourceError(
        "database",
        f"The database at {address.host}, port {address.port}, refused or broke off.",
        f"It said: {message or 'nothing'}",
    )


class DriverReading:
    """An open session, as a platform wants it."""

    version = ""

    def __init__(self, connection: Any, *, doubled_percent: bool) -> None:
        self._connection, self._doubled = connection, doubled_percent

    def run(self, statement: str) -> None:
        """Run one statement that returns nothing."""
        cursor = self._connection.cursor()
        try:
            cursor.execute(statement)
        finally:
            cursor.close()

    def begin_snapshot(self) -> None:
        """The kit is one query and sees one state by itself."""

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run a query without parameters and yield its rows as they come."""
        del parameters
        cursor = self._connection.cursor()
        try:
            cursor.execute(query if self._doubled else query.replace("%%", "%"))
            while rows := cursor.fetchmany(2000):
                yield from (tuple(row) for row in rows)
        finally:
            cursor.close()
