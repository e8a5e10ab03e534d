"""A connection in which every statement stands for itself, and what a server says of one that it does not take."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager, closing, nullcontext
from typing import Any

from indexa.adapters.address import Address

_LONGEST = 500


class DatabaseRefusedError(Exception):
    """What a server says of a statement that it does not take."""


class ConnectionLostError(DatabaseRefusedError):
    """The connection ended; whether the last statement was carried out is not known."""


class Connected:
    """A database behind a driver's connection.

    `is_lost` says of an error, and of the connection, that it ended. Statements raise DatabaseRefusedError in the server's own words.
    """

    def __init__(
        self,
        platform: str,
        connection: Any,
        address: Address,
        password: str,
        refused: tuple[type[Exception], ...],
        is_lost: Callable[[Any, Exception], bool] = lambda *_: False,
    ) -> None:
        self.platform, self.address, self.password = platform, address, password
        self._connection, self._refused, self._is_lost = connection, refused, is_lost

    def run(self, statement: str) -> None:
        """Run a statement."""
        self._ask(statement, lambda cursor: None)

    def value(self, query: str) -> Any:
        """Return the first value of a query."""
        row = self._ask(query, lambda cursor: cursor.fetchone())
        return row[0] if row else None

    def _ask(self, statement: str, answer: Callable[[Any], Any]) -> Any:
        try:
            with self._cursor() as cursor:
                cursor.execute(statement)
                return answer(cursor)
        except self._refused as error:
            words = " ".join(str(error).split())[:_LONGEST]
            kind = ConnectionLostError if self._is_lost(self._connection, error) else DatabaseRefusedError
            raise kind(words) from error

    def _cursor(self) -> AbstractContextManager[Any]:
        # A cursor of DuckDB is another connection, with transactions and temporary tables of its own.
        return nullcontext(self._connection) if self.platform == "duckdb" else closing(self._connection.cursor())

    def close(self) -> None:
        """Let go of the connection."""
        self._connection.close()
