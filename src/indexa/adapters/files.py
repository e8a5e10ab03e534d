"""Databases that are files: SQLite and DuckDB, opened read-only and shut off from everything else."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any
from urllib.parse import quote

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.core.platforms import RefusedError

READING_SECONDS = 300


def check_below(path: str, folders: list[str]) -> Path:
    """Return the real path of a file that lies below one of the folders. Raises SourceError for any other."""
    try:
        real = Path(path).resolve(strict=True)
    except (OSError, RuntimeError):
        raise SourceError(
            "no-file", f"There is no file “{path}” on this server.", "Check the path; it is a path on the server."
        ) from None
    if not any(real.is_relative_to(Path(folder).resolve()) for folder in folders):
        raise SourceError(
            "file-not-allowed",
            f"Indexa may not read “{path}”.",
            "Whoever runs this server can add its folder to INDEXA_SOURCE_FOLDERS.",
        )
    if not real.is_file():
        raise SourceError("no-file", f"“{path}” is not a file.", "Enter the path of the database file itself.")
    return real


@contextmanager
def open_sqlite(address: Address) -> Iterator[SQLiteReading]:
    """Open a SQLite file: read-only, no extensions, statements bounded in time. Raises SourceError."""
    path = Path(address.database)
    try:
        with path.open("rb") as file:
            magic = file.read(16)
    except OSError as error:
        raise SourceError(
            "no-file", f"“{path.name}” can't be opened.", error.strerror or "Check the path and its rights."
        ) from None
    if magic and not magic.startswith(b"SQLite format 3\0"):
        raise SourceError("no-sqlite", f"“{path.name}” is no SQLite file.", "It may be encrypted, or of another kind.")
    connection = sqlite3.connect(
        f"file:{quote(str(path.resolve()))}?mode=ro", uri=True, timeout=3, isolation_level=None
    )
    try:
        connection.execute("pragma query_only = 1")
        connection.execute("pragma trusted_schema = 0")
        ends = time.monotonic() + READING_SECONDS
        connection.set_progress_handler(lambda: int(time.monotonic() > ends), 100_000)
        yield SQLiteReading(connection)
    except sqlite3.DatabaseError as error:
        raise _explain_sqlite(error, path) from None
    finally:
        connection.close()


def _explain_sqlite(error: sqlite3.DatabaseError, path: Path) -> SourceError:
    text = str(error)
    if "locked" in text:
        return SourceError(
            "locked", f"“{path.name}” is being written to.", "Read again when the other program is through."
        )
    if "interrupted" in text:
        return SourceError("time-out", "Reading took too long and was stopped.", "Choose fewer tables.")
    if "malformed" in text or "not a database" in text:
        return SourceError("damaged", f"“{path.name}” is damaged: {text[:200]}.", "Take the file from a backup.")
    return SourceError("database", f"“{path.name}” could not be read.", f"SQLite said: {text[:300]}")


class SQLiteReading:
    """An open file, as a platform wants it."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection
        self.version = sqlite3.sqlite_version

    def begin_snapshot(self) -> None:
        """Let all later queries see one state of the file."""
        self._connection.execute("begin")

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run a query and return its rows. Raises RefusedError where a definition needs what is not here."""
        try:
            return self._connection.execute(query, dict(parameters)).fetchall()
        except sqlite3.OperationalError as error:
            if str(error).startswith(_DEFINITION_FAULTS):
                raise RefusedError(str(error)) from None
            raise

    def bound(self, seconds: int) -> None:
        """Questions to the rows of a file are bounded by its size and by the time that reading it may take."""

    def ask(self, query: str) -> tuple[Any, ...]:
        """Return the one row of a query. Raises RefusedError where it can't be answered."""
        try:
            (row,) = self._connection.execute(query).fetchall()
        except sqlite3.OperationalError as error:
            if "interrupted" in str(error):
                raise
            raise RefusedError(str(error)[:300]) from None
        return tuple(row)


_DEFINITION_FAULTS = (
    "no such function",
    "no such module",
    "no such table",
    "no such column",
    "no such collation",
    "unsafe use of",
    "error in view",
    "unknown tokenizer",
    "vtable constructor failed",
    "view ",
    "expected ",
    "no such tokenizer",
    "wrong number of arguments",
)


CONFINED_DUCKDB: dict[str, Any] = {
    "enable_external_access": "false",
    "autoload_known_extensions": "false",
    "autoinstall_known_extensions": "false",
    "allow_unsigned_extensions": "false",
    "lock_configuration": "true",
    "threads": "1",
}
"""Settings under which DuckDB loads nothing and reaches no other file and no network."""


@contextmanager
def open_duckdb(address: Address) -> Iterator[DuckDBReading]:
    """Open a DuckDB file: read-only, no extensions, no other file and no network. Raises SourceError."""
    import duckdb

    path = Path(address.database)
    if not path.is_file():
        raise SourceError("no-file", f"There is no file “{path.name}”.", "Check the path; it is a path on the server.")
    try:
        connection = duckdb.connect(
            str(path.resolve()),
            read_only=True,
            config=CONFINED_DUCKDB,
        )
    except duckdb.Error as error:
        text = str(error).splitlines()[0]
        if "lock" in text.lower():
            raise SourceError(
                "locked", f"Another program has “{path.name}” open for writing.", "Close it there, then read again."
            ) from None
        raise SourceError(
            "no-duckdb", f"“{path.name}” can't be opened as a DuckDB file.", f"It said: {text[:300]}"
        ) from None
    try:
        yield DuckDBReading(connection)
    except duckdb.Error as error:
        raise SourceError(
            "database", f"“{path.name}” could not be read.", f"DuckDB said: {str(error).splitlines()[0][:300]}"
        ) from None
    finally:
        connection.close()


class DuckDBReading:
    """An open file, as a platform wants it."""

    def __init__(self, connection: Any) -> None:
        self._connection = connection

    @property
    def version(self) -> str:
        """The version of the library that reads the file."""
        return str(self._connection.execute("select version()").fetchone()[0])

    def begin_snapshot(self) -> None:
        """Let all later queries see one state of the file."""
        self._connection.execute("begin transaction")

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run a query and return its rows."""
        del parameters
        rows: list[tuple[Any, ...]] = self._connection.execute(query).fetchall()
        return rows

    def bound(self, seconds: int) -> None:
        """Questions to the rows of a file are bounded by its size; what one of them breaks off takes no other with it."""
        import duckdb

        with suppress(duckdb.TransactionException):
            self._connection.execute("rollback")

    def ask(self, query: str) -> tuple[Any, ...]:
        """Return the one row of a query. Raises RefusedError where it can't be answered."""
        import duckdb

        try:
            (row,) = self._connection.execute(query).fetchall()
        except duckdb.Error as error:
            # Its text may hold a value that could not be converted.
            raise RefusedError(type(error).__name__) from None
        return tuple(row)
