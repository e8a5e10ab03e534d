"""One contract for every platform that runs here: live, by its kit's own client, from a script, it is the same model."""

from __future__ import annotations

import csv
import io
import os
import sqlite3
import subprocess
import tempfile
from collections import Counter
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager, suppress
from pathlib import Path
from urllib.parse import urlsplit

import duckdb
import psycopg
from django.test import TransactionTestCase

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.live import PlatformReading, open_source
from indexa.core import platforms
from indexa.core.intake.balance import UNEXPLAINED
from indexa.core.intake.choice import Choice
from indexa.core.intake.kit import MEMBERS, read_kit, rows_of_text
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.model.file import read, write
from indexa.core.scripts.reader import ScriptFile, read_scripts
from tests.contract.differences import differences
from tests.contract.random_scripts import BEGINNING, SCHEMAS, Writer
from tests.factories import database, server_address

SCRIPTS = Path(__file__).parent / "live"
RANDOM_SCRIPTS = int(os.environ.get("INDEXA_RANDOM_SCRIPTS", "20"))


def quiet(*_: object) -> None:
    """Take no notice of progress."""


def mariadb() -> tuple[Address, str]:
    parts = urlsplit(os.environ["INDEXA_TEST_MARIADB_URL"])
    return Address(parts.hostname or "", parts.port or 0, "", parts.username or ""), parts.password or ""


def run(command: list[str], given: str) -> str:
    done = subprocess.run(command, input=given, capture_output=True, text=True, check=False)
    assert not done.returncode, done.stderr
    return done.stdout


TYPE_KINDS = ["enum types", "domains", "composite types", "range types"]


class Here:
    """A platform on this machine: how to fill it, run a kit in its own client, and what is not the same and why."""

    schemas: tuple[str, ...] = ()
    default_schema: str | None = None
    script_lacks: tuple[str, ...] = ()
    kit_lacks: tuple[str, ...] = ()
    writes = ""

    def source(self, script: str) -> AbstractContextManager[tuple[Address, str]]:
        raise NotImplementedError

    def run_kit(self, kit: str) -> str:
        raise NotImplementedError


class PostgreSQLHere(Here):
    schemas = ("s",)
    writes = "create table s.x (a int)"

    @contextmanager
    def source(self, script: str) -> Iterator[tuple[Address, str]]:
        own = server_address()
        with database(script) as name:
            self.url = f"postgresql://{own['user']}:{own['password']}@{own['host']}:{own['port']}/{name}"
            yield Address(str(own["host"]), int(str(own["port"])), name, name), f"reader of {name}"

    def run_kit(self, kit: str) -> str:
        return run(["psql", "-q", "--csv", self.url], kit)


class MySQLHere(Here):
    script_lacks = ("options",)  # a script need not name the engine
    kit_lacks = (": collation ", "table instead of partitioned table")

    def __init__(self, database: str) -> None:
        """Keep everything in one database, of which tests that run at once each need their own."""
        self.database, self.schemas, self.default_schema = database, (database,), database
        self.writes = f"create table {database}.x (a int)"

    @contextmanager
    def source(self, script: str) -> Iterator[tuple[Address, str]]:
        address, password = mariadb()
        self.command = [
            "mariadb",
            "--no-defaults",
            "-h",
            address.host,
            "-P",
            str(address.port),
            f"-u{address.user}",
            f"-p{password}",
        ]
        run(
            self.command,
            f"drop database if exists {self.database}; create database {self.database} character set utf8mb4",
        )
        run([*self.command, self.database], script)
        try:
            yield address, password
        finally:
            run(self.command, f"drop database {self.database}")

    def run_kit(self, kit: str) -> str:
        return run(
            [*self.command, "--batch"], kit.replace("'%'   as schema_pattern", f"'{self.database}' as schema_pattern")
        )


class FileHere(Here):
    def __init__(self, platform: str, schemas: tuple[str, ...]) -> None:
        self.platform, self.schemas = platform, schemas
        # A kit's result has no member for collations, for counted numbers, and names an enum by its values.
        self.kit_lacks = ("collation", "identity", "ENUM", "computed None, not None")
        self.writes = f"create table {schemas[-1]}.x (a int)"

    @contextmanager
    def source(self, script: str) -> Iterator[tuple[Address, str]]:
        with tempfile.TemporaryDirectory() as folder:
            self.path = Path(folder) / "base"
            connection = sqlite3.connect(self.path) if self.platform == "sqlite" else duckdb.connect(str(self.path))
            if isinstance(connection, sqlite3.Connection):
                connection.executescript(script)
            else:
                connection.execute(script)
            connection.close()
            yield Address("", 0, str(self.path)), ""

    def run_kit(self, kit: str) -> str:
        if self.platform == "sqlite":
            return run(["sqlite3", "-csv", "-header", str(self.path)], kit)
        text = io.StringIO()
        connection = duckdb.connect(str(self.path), read_only=True)
        csv.writer(text).writerows([MEMBERS, *connection.execute(kit).fetchall()])
        connection.close()
        return text.getvalue()


HERE: dict[str, Here] = {
    "postgresql": PostgreSQLHere(),
    "mysql": MySQLHere("contract"),
    "sqlite": FileHere("sqlite", ("main",)),
    "duckdb": FileHere("duckdb", ("main", "s")),
}


class LiveContractTests(TransactionTestCase):
    maxDiff = None

    @contextmanager
    def source(self, name: str) -> Iterator[tuple[Here, Address, str]]:
        here = HERE[name]
        with self.subTest(name), here.source((SCRIPTS / f"{name}.sql").read_text()) as (address, password):
            yield here, address, password

    def live(self, name: str, address: Address, password: str, choice: Choice) -> tuple[Model, Receipt]:
        with open_source(name, address, password) as opened:
            return opened.read(choice, quiet, "contract")

    def test_live_script_and_kit_give_one_model_and_it_survives_its_file(self) -> None:
        for name in HERE:
            with self.source(name) as (here, address, password):
                choice = Choice(here.schemas)
                live, _ = self.live(name, address, password, choice)
                dialect = platforms.get(name).dialect
                file = ScriptFile("x", (SCRIPTS / f"{name}.sql").read_bytes())
                from_script, _ = read_scripts([file], dialect, quiet, "contract", default_schema=here.default_schema)
                found = [
                    line
                    for line in differences(live, from_script)
                    if not any(f": {part} " in line for part in here.script_lacks)
                ]
                self.assertEqual(found, [], "script")
                rows = rows_of_text(here.run_kit(platforms.get(name).kit()))
                from_kit, _ = read_kit(rows, name, choice, quiet, "contract", dialect.canonical_type)
                lines = differences(live, from_kit, beyond_keys=False)
                self.assertEqual(
                    [line for line in lines if not any(part in line for part in here.kit_lacks)], [], "kit"
                )
                for model in (live, from_script, from_kit):
                    self.assertEqual(read(write(model)), model)

    def test_a_script_that_changes_what_it_made_is_the_database_that_it_leaves(self) -> None:
        """Statements that alter, rename, attach and drop: the script's reader and the server end at the same model."""
        for path in sorted(SCRIPTS.glob("*.*.sql")):
            name = path.name.split(".")[0]
            here, script = HERE[name], path.read_text()
            with self.subTest(path.stem), here.source(script) as (address, password):
                choice = Choice(("works", "stores") if name == "postgresql" else here.schemas)
                live, _ = self.live(name, address, password, choice)
                file = ScriptFile("x", script.encode())
                dialect = platforms.get(name).dialect
                from_script, _ = read_scripts([file], dialect, quiet, "contract", default_schema=here.default_schema)
                found = differences(live, from_script)
                lacks = here.script_lacks
                self.assertEqual([line for line in found if not any(f": {part} " in line for part in lacks)], [])

    def test_whatever_statements_the_server_takes_the_script_ends_at_its_model(self) -> None:
        here = HERE["postgresql"]
        for seed in range(RANDOM_SCRIPTS):
            with self.subTest(seed), here.source("") as (address, password):
                writer, taken = Writer(seed), []
                own = server_address()
                with psycopg.connect(**own, dbname=address.database, autocommit=True) as server:  # type: ignore[arg-type]
                    for statement in [*BEGINNING, *(writer.statement() for _ in range(200))]:
                        with suppress(psycopg.Error):
                            server.execute(statement.encode())
                            taken.append(statement)
                live, _ = self.live("postgresql", address, password, Choice(SCHEMAS))
                file = ScriptFile("x", ";\n".join([*taken, ""]).encode())
                found, receipt = read_scripts([file], platforms.get("postgresql").dialect, quiet, "contract")
                self.assertEqual(differences(live, found), [], taken)
                self.assertEqual([n for n in receipt.notes if n.kind in ("clauses", "statements")], [], taken)

    def test_what_arrives_and_what_is_left_out_add_up_to_what_the_source_holds(self) -> None:
        for name in HERE:
            with self.source(name) as (here, address, password):
                with open_source(name, address, password) as opened:
                    counted = [schema.counts for schema in opened.count() if schema.schema in here.schemas]
                held = sum((Counter(counts) for counts in counted), Counter())
                for choice in (
                    Choice(here.schemas),
                    Choice(here.schemas, exclude=("*a*",)),
                    Choice(here.schemas, kinds=frozenset({"views"})),
                ):
                    _, receipt = self.live(name, address, password, choice)
                    left_out = Counter({note.kind: 0 for note in receipt.left_out()})
                    for note in receipt.left_out():
                        left_out[note.kind] += note.count
                    for kind, number in held.items():
                        on_receipt = {"tables": ["shadow tables"], "types": TYPE_KINDS}.get(kind, [])
                        found = sum(receipt.arrived.get(one, 0) + left_out[one] for one in [kind, *on_receipt])
                        self.assertEqual(found, number, (kind, choice))
                    if choice == Choice(here.schemas):
                        self.assertNotIn(UNEXPLAINED, [note.reason for note in receipt.notes])

    def test_a_session_can_not_write(self) -> None:
        for name in HERE:
            with self.source(name) as (here, address, password):
                with self.assertRaises(SourceError) as caught, open_source(name, address, password) as opened:
                    assert isinstance(opened, PlatformReading)
                    opened._session.begin_snapshot()
                    list(opened._session.fetch(here.writes, {}))
                self.assertRegex(f"{caught.exception.message} {caught.exception.hint}", r"(?i)read.?only|may not")

    def test_patterns_and_names_agree_with_what_is_read(self) -> None:
        for name in HERE:
            with self.source(name) as (here, address, password):
                choice = Choice(here.schemas, include=("*a*", "p*", "v"), exclude=("*i*",))
                with open_source(name, address, password) as opened:
                    names = {(schema, table) for schema, table, _ in opened.table_names(choice)}
                model, _ = self.live(name, address, password, choice)
                self.assertEqual({(table.schema, table.name) for table in model.tables}, names)
                self.assertTrue(names)

    def test_a_server_that_can_not_be_reached_is_told_in_plain_words(self) -> None:
        address, password = mariadb()
        cases = {
            "password": (Address(address.host, address.port, "", address.user), "wrong"),
            "nothing-listens": (Address(address.host, 9, "", address.user), password),
        }
        for code, (wrong, given) in cases.items():
            with self.subTest(code), self.assertRaises(Exception) as caught, open_source("mysql", wrong, given):
                pass
            self.assertEqual(getattr(caught.exception, "code", ""), code)
            self.assertNotIn(given, str(caught.exception))
