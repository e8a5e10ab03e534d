"""Opening a database for the statements of a change script: the only way in which Indexa writes to a source.

Every session waits for a lock and lets a statement run for so long only, and reaches no other file or server.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

import msgspec

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.statements import Connected

WRITABLE = ("postgresql", "mysql", "sqlite", "duckdb")
"""Platforms on which a change script can be run from here: those on which it can be rehearsed too."""
_NAME = "indexa change script"


class Limits(msgspec.Struct, frozen=True, kw_only=True):
    """How long a statement waits for a lock, and how long it runs, in seconds."""

    lock: int = 5
    statement: int = 600


@contextmanager
def open_writing(platform: str, address: Address, password: str, limits: Limits) -> Iterator[Connected]:
    """Open a session that writes, and end it. Raises SourceError where it can't be opened, or the platform is not one of WRITABLE."""
    ways = {"postgresql": _postgresql, "mysql": _mysql, "sqlite": _sqlite, "duckdb": _duckdb}
    if platform not in ways:
        raise SourceError(
            "not-writable", f"Change scripts for {platform} are not run from here.", "Hand the file over."
        )
    connected = ways[platform](address, password, limits)
    try:
        yield connected
    finally:
        with suppress(Exception):  # a connection that was lost can't be closed
            connected.close()


def _postgresql(address: Address, password: str, limits: Limits) -> Connected:
    import psycopg

    from indexa.adapters.postgresql import CONNECT_SECONDS, explain

    bounds = {
        "lock_timeout": f"{limits.lock}s",
        "statement_timeout": f"{limits.statement}s",
        "idle_in_transaction_session_timeout": f"{limits.statement}s",
    }
    try:
        connection = psycopg.connect(
            host=address.host, port=address.port, dbname=address.database, user=address.user, password=password, sslmode=address.tls,
            passfile=os.devnull, connect_timeout=CONNECT_SECONDS, application_name=_NAME, autocommit=True,
            options=" ".join(f"-c {name}={value}" for name, value in bounds.items()),
        )  # fmt: skip
    except psycopg.Error as error:
        raise explain(error, address) from None
    return Connected(
        "postgresql", connection, address, password, (psycopg.Error,), lambda link, _: bool(link.closed or link.broken)
    )


_LOST_MYSQL = frozenset({0, 1053, 1927, 2006, 2013, 2055})
"""Errors of the protocol that say that the connection ended; 0 is the driver's own."""


def _mysql(address: Address, password: str, limits: Limits) -> Connected:
    from pymysql import err

    from indexa.adapters import mysql

    try:
        connection = mysql.connect(address, password, seconds=limits.statement, name=_NAME)
        with closing(connection.cursor()) as cursor:
            # MySQL itself bounds only what reads, so that the time its answer may take bounds the rest.
            if "mariadb" in connection.get_server_info().lower():
                cursor.execute(f"set session max_statement_time = {limits.statement}")
            cursor.execute(f"set session lock_wait_timeout = {limits.lock}")
            cursor.execute(f"set session innodb_lock_wait_timeout = {limits.lock}")
    except (err.Error, OSError, RuntimeError) as error:
        raise mysql.explain(error, address) from None
    return Connected("mysql", connection, address, password, (err.MySQLError, OSError), _mysql_lost)


def _mysql_lost(connection: Any, error: Exception) -> bool:
    number = error.args[0] if error.args else 0
    return not connection.open or isinstance(error, OSError) or number in _LOST_MYSQL


def _sqlite(address: Address, password: str, limits: Limits) -> Connected:
    del password
    path = _existing(address)
    connection = sqlite3.connect(f"file:{path.as_posix()}?mode=rw", uri=True, timeout=limits.lock, isolation_level=None)
    connection.setlimit(sqlite3.SQLITE_LIMIT_ATTACHED, 0)
    return Connected("sqlite", connection, address, "", (sqlite3.Error,))


def _duckdb(address: Address, password: str, limits: Limits) -> Connected:
    del password, limits
    import duckdb

    from indexa.adapters.files import CONFINED_DUCKDB

    path = _existing(address)
    try:
        connection = duckdb.connect(str(path), config=CONFINED_DUCKDB)
    except duckdb.Error as error:
        raise SourceError(
            "locked", f"“{path.name}” can't be opened for writing.", " ".join(str(error).split())[:300]
        ) from None
    return Connected("duckdb", connection, address, "", (duckdb.Error,))


def _existing(address: Address) -> Path:
    path = Path(address.database).resolve()
    if not path.is_file():
        raise SourceError("no-file", f"There is no file “{path.name}”.", "Check the path; it is a path on the server.")
    if not os.access(path, os.W_OK):
        raise SourceError("read-only", f"Indexa may not write to “{path.name}”.", "Change the file's rights.")
    return path
