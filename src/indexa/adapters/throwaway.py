"""Databases that are started for one purpose and thrown away: no other program knows them, and nothing of them stays."""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import socket
import sqlite3
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any, Protocol

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.statements import Connected

STARTS = ("postgresql", "mysql", "sqlite", "duckdb")
"""Platforms of which a database can be started here, if their server is installed."""
_ENVIRONMENT = {"PATH": "/usr/sbin:/usr/bin:/bin", "LC_ALL": "C.UTF-8", "HOME": "/tmp"}  # noqa: S108  a home for a server
_WAIT = 30.0
"""Seconds until a server has to answer."""
_TRIES = 3
"""Ports that are tried."""


class Database(Protocol):
    """One empty database: statements are run in it one by one, and it is read as a source is."""

    platform: str
    address: Address
    password: str

    def run(self, statement: str) -> None:
        """Run a statement. Raises DatabaseRefusedError with the server's own words."""

    def value(self, query: str) -> Any:
        """Return the first value of a query."""

    def close(self) -> None:
        """Let go of the connection, so that the database can be read from elsewhere."""


@contextmanager
def server(platform: str) -> Iterator[Server]:
    """Start a server for a platform (a folder for files), and end it. Raises SourceError where there is none to start."""
    if platform not in STARTS:
        raise SourceError("no-server", f"No server of {platform} can be started here.", "Try the script by hand.")
    folder = tempfile.mkdtemp(prefix="indexa-rehearsal-")
    try:
        made = {"postgresql": _PostgreSQL, "mysql": _MySQL}.get(platform, _Files)(platform, Path(folder))
        try:
            made.start()
            yield made
        finally:
            made.stop()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


class Server:
    """A server that runs only here."""

    def __init__(self, platform: str, folder: Path) -> None:
        self.platform, self._folder = platform, folder
        self._process: subprocess.Popen[bytes] | None = None
        self.port = 0

    def start(self) -> None:
        """Start it and wait until it answers."""

    def database(self, name: str) -> Database:
        """Make an empty database."""
        raise NotImplementedError

    def reopened(self, database: Database) -> Database:
        """Return a database that was let go of with an open connection."""
        raise NotImplementedError

    def stop(self) -> None:
        """End the process that was started, and no other."""
        if self._process is None or self._process.poll() is not None:
            return
        self._process.send_signal(signal.SIGINT if self.platform == "postgresql" else signal.SIGTERM)
        try:
            self._process.wait(_WAIT)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()

    def _as(self, user: str) -> dict[str, Any]:
        """Return how a process is started: servers refuse to be root's.

        Its temporary files lie in the folder too: MariaDB deletes those that it finds when it starts, also another server's.
        """
        given: dict[str, Any] = {
            "env": _ENVIRONMENT | {"TMPDIR": str(self._folder)},
            "cwd": "/",
            "stdin": subprocess.DEVNULL,
            "stdout": subprocess.DEVNULL,
        }
        if os.getuid() == 0:
            who = pwd.getpwnam(user)
            os.chown(self._folder, who.pw_uid, who.pw_gid)
            given |= {"user": who.pw_uid, "group": who.pw_gid, "extra_groups": []}
        return given

    def _prepare(self, command: list[str], how: dict[str, Any]) -> None:
        """Make the server's data folder. Raises SourceError with the reason that the program gives."""
        done = subprocess.run(command, check=False, stderr=subprocess.PIPE, **how)
        if done.returncode:
            why = _reason(done.stderr.decode(errors="replace"))
            raise SourceError(
                "no-server", f"The server of {self.platform} for the rehearsal can't be made ready: {why}", "Look at its installation."
            )  # fmt: skip

    def _serve(self, command: list[str], how: dict[str, Any]) -> None:
        """Start the server on a port that is free, until it answers; on another one if it ended, as the port was taken."""
        for _ in range(_TRIES):
            self.port = _free_port()
            own = [word.replace("{port}", str(self.port)) for word in command]
            self._process = subprocess.Popen(own, stderr=subprocess.DEVNULL, **how)
            if self._answers():
                return
        raise SourceError(
            "no-server", f"The server of {self.platform} for the rehearsal did not start.", "Look at its installation."
        )

    def _answers(self) -> bool:
        """Wait for the server. Returns False if it ends; raises SourceError if it does not answer in time."""
        until = time.monotonic() + _WAIT
        while self._process is not None and self._process.poll() is None:
            if time.monotonic() > until:
                raise SourceError(
                    "no-server", f"The server of {self.platform} for the rehearsal does not answer.", "Look at its installation."
                )  # fmt: skip
            # Another server may have taken the port in the meantime, and answers in place of this one.
            with suppress(Exception):
                if Path(self._data_folder()) == self._folder / "data":
                    return True
            time.sleep(0.05)
        return False

    def _data_folder(self) -> str:
        """Ask the server that answers where its data lies."""
        raise NotImplementedError


def _reason(said: str) -> str:
    """Return the line of a program's messages that says most: the first that is called an error, else the last."""
    lines = [line.strip() for line in said.splitlines() if line.strip()]
    errors = [line for line in lines if "error" in line.lower() and not line.endswith("Aborting")]
    return (errors or lines[-1:] or ["it gives no reason"])[0][:200]


def _free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


def _program(name: str, package: str, *places: Path) -> str:
    found = next(
        (str(place / name) for place in places if (place / name).exists()),
        shutil.which(name, path=_ENVIRONMENT["PATH"]),
    )
    if found is None:
        raise SourceError(
            "no-server", f"{name} is not installed here, so nothing was rehearsed.", f"Install {package}."
        )
    return found


class _PostgreSQL(Server):
    def start(self) -> None:
        """Make a cluster in the folder and start it."""
        bins = sorted(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda path: int(path.parent.name))
        initdb = _program("initdb", "Debian's package postgresql", *bins[-1:])
        data, how = self._folder / "data", self._as("postgres")
        self._prepare(
            [initdb, "-D", str(data), "-U", "indexa", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8", "-N", "--no-instructions"], how
        )  # fmt: skip
        fast = (
            "fsync=off",
            "synchronous_commit=off",
            "full_page_writes=off",
            "timezone=UTC",
            "max_locks_per_transaction=1024",
        )
        options = [
            word for one in ("listen_addresses=127.0.0.1", "unix_socket_directories=", *fast) for word in ("-c", one)
        ]
        postgres = _program("postgres", "Debian's package postgresql", *bins[-1:])
        self._serve([postgres, "-D", str(data), "-p", "{port}", *options], how)

    def _data_folder(self) -> str:
        with closing(self._connect("postgres")) as connection:
            return str(connection.execute("show data_directory").fetchone()[0])

    def _connect(self, name: str) -> Any:
        import psycopg

        return psycopg.connect(
            host="127.0.0.1", port=self.port, user="indexa", dbname=name, autocommit=True, connect_timeout=5
        )

    def database(self, name: str) -> Database:
        """Make an empty database."""
        with closing(self._connect("postgres")) as connection:
            connection.execute(f'create database "{name}"')
        return self._opened(name)

    def reopened(self, database: Database) -> Database:
        """Return the same database with an open connection."""
        return self._opened(database.address.database)

    def _opened(self, name: str) -> Database:
        import psycopg

        address = Address("127.0.0.1", self.port, name, "indexa", "disable")
        # A password is given, though none is asked for: else the client would look for a file with one.
        return Connected("postgresql", self._connect(name), address, "trusted", (psycopg.Error,))


class _MySQL(Server):
    def start(self) -> None:
        """Make a data directory in the folder and start a server on it."""
        install = _program("mariadb-install-db", "Debian's package mariadb-server")
        data, how = self._folder / "data", self._as("mysql")
        self._prepare(
            [install, "--no-defaults", f"--datadir={data}", "--auth-root-authentication-method=normal", "--skip-test-db", "--skip-log-bin"], how
        )  # fmt: skip
        self._serve(
            [_program("mariadbd", "Debian's package mariadb-server"), "--no-defaults", f"--datadir={data}", "--bind-address=127.0.0.1",
             "--port={port}", f"--socket={self._folder}/s", "--skip-log-bin", "--innodb-flush-log-at-trx-commit=0",
             "--innodb-buffer-pool-size=64M", "--performance-schema=off", "--skip-name-resolve", "--event-scheduler=OFF"], how
        )  # fmt: skip

    def _data_folder(self) -> str:
        limits = {"connect_timeout": 5, "read_timeout": 5}
        with closing(self._connect(None, **limits)) as connection, connection.cursor() as cursor:
            cursor.execute("select @@datadir")
            return str(cursor.fetchone()[0])

    def _connect(self, name: str | None, **more: Any) -> Any:
        import pymysql

        return pymysql.connect(
            host="127.0.0.1", port=self.port, user="root", database=name, autocommit=True, charset="utf8mb4", **more
        )

    def database(self, name: str) -> Database:
        """Make an empty database, in which statements without a schema work.

        Its letters take three bytes where a table does not say otherwise, so that every key of an older script has room.
        """
        self._home = name
        with closing(self._connect(None)) as connection, connection.cursor() as cursor:
            cursor.execute(f"create database `{name}` character set utf8mb3")
        return self._opened(name)

    def reopened(self, database: Database) -> Database:
        """Return the same database with an open connection."""
        return self._opened(self._home)

    def _opened(self, name: str) -> Database:
        import pymysql

        address = Address("127.0.0.1", self.port, "", "root", "disable")
        return Connected("mysql", self._connect(name), address, "", (pymysql.MySQLError,))


class _Files(Server):
    def database(self, name: str) -> Database:
        """Make an empty database in a file."""
        return self._opened(self._folder / name)

    def reopened(self, database: Database) -> Database:
        """Return the same file, opened."""
        return self._opened(Path(database.address.database))

    def _opened(self, path: Path) -> Database:
        address = Address("", 0, str(path), "")
        if self.platform == "sqlite":
            return Connected("sqlite", sqlite3.connect(path, isolation_level=None), address, "", (sqlite3.Error,))
        import duckdb

        return Connected("duckdb", duckdb.connect(str(path)), address, "", (duckdb.Error,))
