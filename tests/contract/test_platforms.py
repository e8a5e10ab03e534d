"""What every platform must bring, whether it runs here or not."""

from __future__ import annotations

import logging
import re
from pathlib import Path
from types import SimpleNamespace
from typing import Any
from unittest import TestCase
from unittest.mock import patch

import sqlglot

from indexa.adapters import drivers
from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.live import open_source
from indexa.core import platforms
from indexa.core.intake.choice import OBJECT_KINDS, Choice
from indexa.core.intake.kit import MEMBERS
from indexa.core.intake.live_kit import KitPlatform
from indexa.core.scripts.proposal import propose, sample_of
from indexa.core.scripts.splitting import Splitter
from indexa.core.scripts.tokens import Statement

CASES = Path(__file__).parents[1] / "core" / "scripts" / "cases"
PARSED_WITH = {"mysql": "mysql", "oracle": "oracle", "sqlserver": "tsql", "teradata": "teradata", "redshift": "redshift",
               "snowflake": "snowflake", "postgresql": "postgres", "greenplum": "postgres", "sqlite": "sqlite", "duckdb": "duckdb"}  # fmt: skip

ROWS = [
    # schema, table, kind, position, column, type, nullable, default, generation, key kind, name, position, ref ×3, descriptions
    (
        "APP",
        "CUST",
        "table",
        1,
        "ID",
        "INTEGER",
        "NO",
        None,
        "identity always",
        "primary",
        "CUST_PK",
        1,
        None,
        None,
        None,
        "Customers",
        None,
    ),
    (
        "APP",
        "CUST",
        "table",
        2,
        "NM",
        "VARCHAR(40)",
        "YES",
        "'x'",
        None,
        "unique",
        "CUST_UK",
        1,
        None,
        None,
        None,
        "Customers",
        "Name",
    ),
    (
        "APP",
        "ORD",
        "table",
        2,
        "CUST_ID",
        "INTEGER",
        "NO",
        None,
        None,
        "foreign",
        "ORD_FK",
        1,
        "APP",
        "CUST",
        "ID",
        None,
        None,
    ),
    (
        "APP",
        "ORD",
        "table",
        2,
        "CUST_ID",
        "INTEGER",
        "NO",
        None,
        None,
        "distribution",
        "distribution",
        1,
        None,
        None,
        None,
        None,
        None,
    ),
    ("APP", "ORD", "table", 1, "NO", "INTEGER", "NO", None, None, "primary", "ORD_PK", 1, None, None, None, None, None),
    ("OLD", "V", "view", 1, "NM", "VARCHAR(40)", "YES", None, None, None, None, None, None, None, None, None, None),
]


class PlatformTests(TestCase):
    def test_each_names_itself_and_offers_kinds_that_there_are(self) -> None:
        for name in platforms.names():
            with self.subTest(name):
                platform = platforms.get(name)
                self.assertEqual((platform.name, platform.dialect.name), (name, name))
                self.assertLessEqual(set(platform.kinds), set(OBJECT_KINDS))
                for type_name, family in (
                    ("varchar(20)", "text"),
                    ("decimal(10,2)", "number"),
                    ("timestamp", "date and time"),
                ):
                    if (name, type_name) != ("sqlserver", "timestamp"):
                        self.assertEqual(platform.family(platform.dialect.canonical_type(type_name)), family)

    def test_the_dialect_of_a_script_is_proposed(self) -> None:
        for name in platforms.names():
            with self.subTest(name):
                ranked = propose(sample_of((CASES / f"{name}.sql").read_bytes()))
                self.assertEqual(ranked[0][0], name, ranked[:3])
        self.assertEqual(propose("nothing that is SQL"), [])
        self.assertEqual(
            propose("create table t (a int); -- recreate it: computed by the nightly set term, see `t`"), []
        )
        plain = "create table t (id int not null, primary key (id));"
        named = {
            "tables_db2.sql": "db2",
            "schema.Pg": "postgresql",
            "tablesSqlServer.sql": "sqlserver",
            "create-ora.sql": "oracle",
        }
        for file_name, platform in named.items():
            self.assertEqual([name for name, _ in propose(plain, [file_name])], [platform])
        self.assertEqual(propose("create table `t` (`a` int) engine=InnoDB;", ["for_oracle.sql"])[0][0], "mysql")
        plain = "create table t (gen_id bigint, at timestamp with time zone, b timestamp without time zone); create type k as enum ('a');"
        self.assertEqual([name for name, _ in propose(plain)], ["postgresql"])


class KitTests(TestCase):
    def test_a_kit_gives_one_result_by_two_settings_and_what_the_reader_wants(self) -> None:
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        for name in platforms.names():
            platform = platforms.get(name)
            if not platform.has_kit:
                continue
            with self.subTest(name):
                kit = platform.kit()
                self.assertEqual(re.findall(r"-- SETTING (\d)", kit), ["1", "2"])
                pieces = list(Splitter(kit.encode(), platform.dialect).pieces())
                self.assertEqual({piece.kind for piece in pieces}, {"statement"})
                before = [kit.encode()[piece.start : piece.end].split()[0] for piece in pieces[:-1]]
                self.assertEqual(before, [b"show"] * 3 if name == "snowflake" else [])
                words = set(Statement(kit, platform.dialect, "", 1).up)
                self.assertFalse(
                    words & {"INSERT", "UPDATE", "DELETE", "DROP", "ALTER", "CREATE", "INTO", "EXEC", "CALL"}
                )
                if name in PARSED_WITH:
                    tree = [one for one in sqlglot.parse(kit, dialect=PARSED_WITH[name]) if one][-1]
                    self.assertEqual([one.alias_or_name.lower() for one in tree.selects], list(MEMBERS))


class Connection:
    """A driver's connection that knows only the rows it was given."""

    def __init__(self, rows: list[tuple[Any, ...]]) -> None:
        self.rows, self.asked, self.closed = rows, [], False

    def cursor(self) -> Connection:
        return self

    def execute(self, query: str) -> None:
        self.asked.append(query)
        self.left = list(self.rows) if "column_description" in query else []

    def fetchmany(self, size: int) -> list[tuple[Any, ...]]:
        taken, self.left = self.left[:size], self.left[size:]
        return taken

    def close(self) -> None:
        self.closed = True


class RecordedTests(TestCase):
    """Platforms that can't be run here, on rows such as their catalogs give."""

    def test_rows_of_the_catalog_become_a_model_through_every_driver(self) -> None:
        for name, driver in drivers.DRIVERS.items():
            with self.subTest(name):
                self.assertIsInstance(platforms.get(name), KitPlatform)
                connection = Connection(ROWS)
                given: dict[str, Any] = {}
                module = SimpleNamespace(
                    connect=lambda given=given, connection=connection, **settings: given.update(settings) or connection,
                    Error=OSError,
                )
                with (
                    patch.object(drivers, "import_module", return_value=module),
                    open_source(name, Address("db.tarnbeck", 1, "APP", "u"), "secret") as opened,
                ):
                    self.assertEqual([schema.schema for schema in opened.count()], ["APP", "OLD"])
                    model, receipt = opened.read(Choice(("APP",)), lambda *_: None, "x")
                self.assertTrue(connection.closed)
                self.assertEqual(connection.asked[: len(driver.first)], list(driver.first))
                self.assertNotIn("%%", connection.asked[-1])
                self.assertIn("secret", str(given))
                customers, orders = model.tables
                self.assertEqual(
                    (customers.comment, customers.columns[1].comment, customers.columns[0].identity),
                    ("Customers", "Name", "always"),
                )
                self.assertEqual([column.name for column in orders.columns], ["NO", "CUST_ID"])
                self.assertEqual(
                    (orders.foreign_keys[0].ref_table, orders.foreign_keys[0].ref_columns), ("CUST", ("ID",))
                )
                self.assertEqual(orders.options, ("distribution key: CUST_ID",))
                self.assertEqual(receipt.arrived["tables"], 2)

    def test_keys_that_are_only_shown_are_asked_for_before_the_query_that_takes_them(self) -> None:
        platform, connection = platforms.get("snowflake"), Connection(ROWS)
        platform.read(drivers.DriverReading(connection, doubled_percent=False), Choice(("APP",)), lambda *_: None, "x")
        shown = [f"show {kind} keys in database" for kind in ("primary", "unique", "imported")]
        self.assertEqual(connection.asked[:-1], shown)
        self.assertEqual(re.findall(r"last_query_id\((-\d)\)", connection.asked[-1]), ["-3", "-2", "-1"])

    def test_a_driver_that_is_missing_or_refuses_is_told_and_no_password_with_it(self) -> None:
        address = Address("db.tarnbeck", 1, "APP", "u")
        with (
            patch.object(drivers, "import_module", side_effect=ImportError),
            self.assertRaises(SourceError) as caught,
            open_source("oracle", address, "p"),
        ):
            pass
        self.assertEqual(caught.exception.code, "no-driver")
        self.assertIn("pip install oracledb", caught.exception.hint)

        def refuse(**settings: Any) -> None:
            raise OSError(f"no way in with {settings['password']}")

        module = SimpleNamespace(connect=refuse, Error=OSError)
        with (
            patch.object(drivers, "import_module", return_value=module),
            self.assertRaises(SourceError) as caught,
            open_source("oracle", address, "open sesame"),
        ):
            pass
        self.assertNotIn("sesame", caught.exception.hint)
