"""Opens whatever database a source is, and hands out one shape of reading for all of them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, Protocol

from indexa.adapters import code_tables, profiling
from indexa.adapters.address import PORTS, Address
from indexa.adapters.errors import SourceError
from indexa.core import platforms
from indexa.core.infer.data import DataSaid
from indexa.core.infer.questions import Questions
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.platforms import Platform, Tick

FILE_PLATFORMS = frozenset({"sqlite", "duckdb"})
OTHER = "other"
"""The platform name of a source that is given by an SQLAlchemy URL."""


class Reading(Protocol):
    """An open database: look what it holds, then read what was chosen."""

    @property
    def version(self) -> str:
        """The server's version as it words it, "" where it has none."""

    def count(self) -> list[SchemaCount]:
        """Count what each schema holds."""

    def limits(self) -> list[str]:
        """Say what the login's rights will keep from being read."""

    def table_names(self, choice: Choice) -> list[tuple[str, str, bool]]:
        """List what the choice takes."""

    def read(self, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""

    def ask_rows(self, asked: Questions, report: Tick, seconds: float) -> DataSaid:
        """Ask the rows, by bounded queries that return counts only, for so many seconds at most."""

    def read_codes(self, schema: str, table: str, code: str, meaning: str) -> list[tuple[str, str]]:
        """Read the codes of a lookup table with their meanings. Raises RefusedError."""


class PlatformReading:
    """A session together with the platform that knows its catalog."""

    def __init__(self, platform: Platform, session: Any) -> None:
        self._platform, self._session = platform, session

    @property
    def version(self) -> str:
        """The server's version."""
        return str(self._session.version)

    def count(self) -> list[SchemaCount]:
        """Count what each schema holds."""
        return self._platform.count(self._session)

    def limits(self) -> list[str]:
        """Say what the login's rights will keep from being read."""
        return self._platform.limits(self._session)

    def table_names(self, choice: Choice) -> list[tuple[str, str, bool]]:
        """List what the choice takes."""
        return self._platform.table_names(self._session, choice)

    def read(self, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        model, receipt = self._platform.read(self._session, choice, tick, name)
        self._platform.balance(self._session, receipt, choice)
        return model, receipt

    def ask_rows(self, asked: Questions, report: Tick, seconds: float) -> DataSaid:
        """Ask the rows, by bounded queries that return counts only, for so many seconds at most."""
        return profiling.ask(self._session, self._platform.name, asked, report, seconds)

    def read_codes(self, schema: str, table: str, code: str, meaning: str) -> list[tuple[str, str]]:
        """Read the codes of a lookup table with their meanings. Raises RefusedError."""
        return code_tables.read_codes(self._session, self._platform.name, schema, table, code, meaning)


@contextmanager
def open_source(platform: str, address: Address, password: str, *, trusted: bool = False) -> Iterator[Reading]:
    """Open a database of any platform, read-only. Raises SourceError in plain words, also from within.

    `trusted` lets an SQLAlchemy URL set whatever its driver knows: for those who run the command with their own rights.
    """
    if platform == OTHER:
        from indexa.adapters.inspector import open_inspection
        from indexa.adapters.sqlalchemy_urls import parse_other

        with open_inspection(parse_other(address.database, trusted=trusted), password) as inspection:
            yield inspection
        return
    with _session(platform, address, password) as session:
        yield PlatformReading(platforms.get(platform), session)


@contextmanager
def _session(platform: str, address: Address, password: str) -> Iterator[Any]:
    if platform in ("postgresql", "greenplum", "redshift"):
        from indexa.adapters import postgresql

        with postgresql.open_reading(address, password) as session:
            yield session
    elif platform == "mysql":
        from indexa.adapters import mysql

        with mysql.open_reading(address, password) as other:
            yield other
    elif platform in FILE_PLATFORMS:
        from indexa.adapters import files

        opened: Any = files.open_sqlite(address) if platform == "sqlite" else files.open_duckdb(address)
        with opened as file:
            yield file
    elif platform in PORTS:
        from indexa.adapters import drivers

        with drivers.open_reading(platform, address, password) as driven:
            yield driven
    else:
        raise SourceError(
            "not-live", f"{platforms.get(platform).label} is read from scripts.", "Hand in a script of its definitions."
        )
