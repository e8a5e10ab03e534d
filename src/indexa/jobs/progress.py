"""Progress of a job, told outside its transaction so that everybody sees it while it runs."""

from __future__ import annotations

import time
from types import TracebackType
from typing import Protocol

import psycopg
from django.db import connection

from indexa.jobs.errors import JobCancelledError

LOCK_CLASS = 0x1DE8A
"""First key of the advisory locks that running jobs hold; the second is the job's number."""
_SECONDS_BETWEEN_WRITES = 0.3


class Progress(Protocol):
    """Told how far a job is; raises JobCancelledError once somebody cancelled it."""

    def report(self, step: str, done: int = 0, total: int = 0) -> None:
        """Say what is done now, how much is done, and of how much."""


class Silent:
    """Progress that nobody watches."""

    def report(self, step: str, done: int = 0, total: int = 0) -> None:
        """Do nothing."""


class JobProgress:
    """Progress of one job over a connection of its own, which also holds the job's lock.

    PostgreSQL gives the lock back when the process dies, however it dies: a running job whose
    lock is free has lost its worker.
    """

    def __init__(self, job_id: int) -> None:
        self._job_id, self._step, self._last = job_id, "", 0.0

    def __enter__(self) -> JobProgress:
        parameters = {key: value for key, value in connection.get_connection_params().items() if key in _ADDRESS}
        self._connection = psycopg.connect(**parameters, autocommit=True)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._connection.close()

    def take_lock(self) -> bool:
        """Take the job's lock; False if another worker holds it."""
        row = self._connection.execute("select pg_try_advisory_lock(%s, %s)", [LOCK_CLASS, self._job_id]).fetchone()
        return bool(row and row[0])

    def report(self, step: str, done: int = 0, total: int = 0) -> None:
        """Write the progress, at most some three times a second unless the step is a new one."""
        now = time.monotonic()
        if step == self._step and now - self._last < _SECONDS_BETWEEN_WRITES:
            return
        self._step, self._last = step, now
        row = self._connection.execute(
            "update job set step = %s, done = %s, total = %s where id = %s returning cancel_requested",
            [step[:200], done, total, self._job_id],
        ).fetchone()
        if row is None or row[0]:
            raise JobCancelledError


_ADDRESS = {"host", "port", "user", "password", "dbname"}
