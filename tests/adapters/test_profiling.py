"""Asking rows: bounded, counted, right on every platform that runs here, and honest about what was left unasked."""

from __future__ import annotations

import os
import sqlite3
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

import duckdb
import psycopg
import pymysql
from django.test import TransactionTestCase
from pymysql.constants import CLIENT

from indexa.adapters import profiling
from indexa.adapters.address import Address, parse_address
from indexa.adapters.live import Reading, open_source
from indexa.core.infer.asking import ask_in_rounds
from indexa.core.infer.data import DataSaid, Range
from indexa.core.infer.questions import Questions, Search
from indexa.core.intake.choice import Choice
from indexa.core.platforms import RefusedError
from tests.factories import database, server_address

ROWS = """create table cust (cust_id int, nm varchar(20));
create table inv (inv_id int, cust_id int, ship_cust_id int, cust_nm varchar(20));
insert into cust values (1, 'a'), (2, 'b');
insert into inv values (1, 1, 9, 'a'), (2, 2, 1, 'b'), (3, null, null, 'a'), (4, 1, 1, 'a'), (5, 2, 2, null), (6, 2, 2, 'b'),
(7, 1, 1, 'b');
create table note (about int, words varchar(40));
insert into note values (2, 'x'), (7, 'x'), (5, 'y'), (2, 'y');
create table area (land int, patch int, nm varchar(20), primary key (land, patch));
insert into area values (1, 1, 'a'), (1, 2, 'b'), (2, 1, 'c');
create table visit (visit_id int, land int, patch int);
insert into visit values (1, 1, 1), (2, 2, 1), (3, 2, 2), (4, 1, 2);"""
HIDDEN = "create table pay (pay_id int, cust_id int)"


class OnEveryPlatform(TransactionTestCase):
    def said(self, platform: str, address: Address, password: str, schema: str) -> DataSaid:
        with open_source(platform, address, password) as opened:
            model, _ = opened.read(Choice((schema,)), lambda *_: None, "m")
            message = ask_in_rounds(
                model, None, lambda asked, seconds: opened.ask_rows(asked, lambda *_: None, seconds), lambda *_: None
            )
            lie = Questions(ranged=[(schema, "note", ("about",), schema, "inv", ("inv_id",))])
            message.add(opened.ask_rows(lie, lambda *_: None, 60))
            self.refused(opened, schema)
            return message

    def refused(self, opened: Reading, schema: str) -> None:
        """Whatever the source refuses, it answers the rest, and no value stands in what is said of it."""
        asked = Questions(
            unique=[(schema, "gone", ("x",)), (schema, "inv", ("no_such",)), (schema, "cust", ("cust_id",))],
            included=[(schema, "note", ("words",), schema, "inv", ("inv_id",))],
            searched=[Search((schema, "visit", "patch"), ((schema, "gone", "x"), (schema, "inv", "inv_id"), (schema, "area", "patch")))],
        )  # fmt: skip
        message = opened.ask_rows(asked, lambda *_: None, 60)
        self.assertEqual(message.unique, {(schema, "cust", ("cust_id",)): 2})
        self.assertRegex(message.said[0], r"^[23] questions were refused by the source. It said first: ")
        self.assertNotIn("'x'", message.said[0])
        self.assertEqual(message.included.get((schema, "visit", ("patch",), schema, "inv", ("inv_id",)), 0), 0)
        searched = Questions(
            searched=[Search((schema, "note", "about"), ((schema, "gone", "x"), (schema, "inv", "inv_id")))]
        )
        found = opened.ask_rows(searched, lambda *_: None, 60).included
        self.assertEqual(found, {(schema, "note", ("about",), schema, "inv", ("inv_id",)): 1.0})

    def check(self, said: DataSaid, schema: str, *refusals: str) -> None:
        self.assertEqual(said.included[schema, "inv", ("cust_id",), schema, "cust", ("cust_id",)], 1.0)
        self.assertEqual(said.included[schema, "inv", ("ship_cust_id",), schema, "cust", ("cust_id",)], 2 / 3)
        self.assertEqual(
            said.repeated[schema, "inv", "cust_nm", "cust_id", schema, "cust", "nm", "cust_id"], 0.8, said.repeated
        )
        self.assertEqual(said.rows[schema, "cust"], 2)
        self.assertEqual(said.unique[schema, "inv", ("inv_id",)], 7)
        self.assertEqual(said.included[schema, "note", ("about",), schema, "inv", ("inv_id",)], 1.0)
        self.assertEqual(
            said.ranged[schema, "note", ("about",), schema, "inv", ("inv_id",)], Range(0.0, 1.0), said.ranged
        )
        self.assertNotIn((schema, "note", ("about",), schema, "cust", ("cust_id",)), said.included)
        self.assertEqual(
            said.included[schema, "visit", ("land", "patch"), schema, "area", ("land", "patch")], 0.75, said.included
        )
        self.assertEqual([line.split(":")[0] for line in said.said], list(refusals))

    def test_postgresql(self) -> None:
        with database(f"create schema s; set search_path = s; {ROWS}") as name:
            with psycopg.connect(**server_address(), dbname=name, autocommit=True) as server:  # type: ignore[arg-type]
                server.execute(
                    f'grant usage on schema s to "{name}"; grant select on all tables in schema s to "{name}"'.encode()
                )
                server.execute(f"{HIDDEN.replace('pay', 's.pay', 1)}; insert into s.pay values (1, 1)".encode())
            own = server_address()
            address = Address(str(own["host"]), int(own["port"]), name, name)
            message = self.said("postgresql", address, f"reader of {name}", "s")
            self.check(message, "s", "2 questions were refused by the source. It said first")
            self.assertIn("permission denied for table pay", message.said[0])

    def test_mariadb(self) -> None:
        _, address, password = parse_address(os.environ["INDEXA_TEST_MARIADB_URL"])
        name = f"rows_{os.getpid()}"
        server = pymysql.connect(host=address.host, port=address.port, user=address.user, password=password,
                                 client_flag=CLIENT.MULTI_STATEMENTS, autocommit=True)  # fmt: skip
        with server, server.cursor() as cursor:
            for statement in (f"create database {name}", f"use {name}", *ROWS.split(";\n")):
                cursor.execute(statement)
            try:
                self.check(self.said("mysql", address, password, name), name)
            finally:
                cursor.execute(f"drop database {name}")

    def test_files(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            lite = sqlite3.connect(Path(folder) / "a.sqlite")
            lite.executescript(ROWS)
            lite.close()
            self.check(self.said("sqlite", Address("", 0, f"{folder}/a.sqlite"), "", "main"), "main")
            with duckdb.connect(f"{folder}/a.duckdb") as duck:
                duck.execute(ROWS)
            self.check(self.said("duckdb", Address("", 0, f"{folder}/a.duckdb"), "", "main"), "main")


class Recording:
    """A session that answers what a test wants and keeps what it was asked."""

    def __init__(self, rows: list[tuple[Any, ...]]) -> None:
        self.asked: list[str] = []
        self._rows = rows

    def bound(self, seconds: int) -> None:
        self.seconds = seconds

    def ask(self, query: str) -> tuple[Any, ...]:
        self.asked.append(query)
        return self._rows[min(len(self.asked), len(self._rows)) - 1]


class BoundTests(TestCase):
    inclusion = ("s", "a", ("b_id",), "s", "b", ("id",))

    def test_every_query_is_bounded_and_returns_counts(self) -> None:
        session = Recording([(5, 0), (5,), (3, 3)])
        asked = Questions([("s", "a", ("id",))], [self.inclusion], {("s", "b", "id")})
        profiling.ask(session, "postgresql", asked)
        self.assertTrue(all("limit 20000" in query and query.startswith("select count(*)") for query in session.asked))

    def test_of_keys_that_hold_all_numbers_each_says_how_far_it_goes_on(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = f"{folder}/a.sqlite"
            with sqlite3.connect(path) as lite:
                lite.executescript(
                    "create table a (x int); create table small (id int); create table large (id int);"
                    "insert into a values (1), (4), (3);"
                    "with recursive n(i) as (select 1 union all select i + 1 from n where i < 20) insert into large select i from n;"
                    "insert into small select id from large where id < 6;"
                )
            asked = Questions(ranged=[("", "a", ("x",), "", name, ("id",)) for name in ("small", "large")])
            with open_source("sqlite", Address("", 0, path), "") as opened:
                message = opened.ask_rows(asked, lambda *_: None, 60)
        self.assertEqual(list(message.ranged.values()), [Range(0.2, 1.0), Range(0.8, 1.0)])

    def test_a_constant_or_a_few_rows_repeat_nothing(self) -> None:
        asked = Questions([], [], {("s", "b", "id")}, repeated=[("s", "a", "x", "b_id", "s", "b", "x", "id")])
        for answer in ((400, 1, 400), (3, 3, 3), (0, 0, None)):
            session = Recording([answer])
            self.assertEqual(profiling.ask(session, "postgresql", asked).repeated, {})
            self.assertIn("limit 20000", session.asked[0])
        self.assertEqual(
            profiling.ask(Recording([(400, 9, 300)]), "postgresql", asked).repeated, {asked.repeated[0]: 0.75}
        )

    def test_a_large_table_without_an_index_is_left_alone_and_said_so(self) -> None:
        session = Recording([(profiling.SAMPLED_ROWS + 1,)])
        message = profiling.ask(session, "postgresql", Questions([], [self.inclusion], set()))
        self.assertEqual(len(session.asked), 1)
        self.assertEqual(message.included, {})
        self.assertIn("all of it would have been read", message.said[0])

    def test_of_many_keys_the_refused_ones_are_left_and_the_others_found(self) -> None:
        class Refusing(Recording):
            def ask(self, query: str) -> tuple[Any, ...]:
                self.asked.append(query)
                if '"bad' in query:
                    raise RefusedError("permission denied")
                return (9, *[9] * query.count("exists"))

        keys = tuple(("s", "bad" if number in (3, 11) else "good", f"k{number}") for number in range(16))
        session = Refusing([])
        asked = Questions(searched=[Search(("s", "a", "x"), keys)], indexed=set(keys))
        message = profiling.ask(session, "postgresql", asked)
        self.assertEqual(
            {key for *_, (key,) in message.included}, {f"k{number}" for number in range(16) if number not in (3, 11)}
        )
        self.assertLess(len(session.asked), 2 * len(keys))

    def test_of_each_kind_the_likeliest_are_asked_before_the_time_is_up(self) -> None:
        session = Recording([(2, 2)])
        unique = [("s", "a", (f"c{number}",)) for number in range(40)]
        included = [("s", "a", (f"b{number}",), "s", "b", ("id",)) for number in range(4)]
        profiling.ask(session, "postgresql", Questions(unique=unique, included=included, indexed={("s", "b", "id")}))
        places = [at for at, query in enumerate(session.asked) if "exists" in query]
        self.assertEqual(len(places), 4)
        self.assertLess(places[0], len(session.asked) / 2)
        self.assertGreater(places[-1], len(session.asked) / 2)

    def test_names_are_quoted_and_time_is_bounded(self) -> None:
        session = Recording([(1, 1)])
        evil = ("s", 'a"; drop table x; --', ("b%d",), "s", "b`c", ("id",))
        profiling.ask(session, "postgresql", Questions([], [evil], {("s", "b`c", "id")}))
        self.assertIn('"a""; drop table x; --"', session.asked[0])
        self.assertIn('"b%d"', session.asked[0])
        message = profiling.ask(session, "mysql", Questions([], [evil], set()), seconds=-1)
        self.assertIn("1 of 1 questions were not asked", message.said[0])

    def test_a_platform_that_can_not_be_asked_is_told(self) -> None:
        self.assertIn("can't be asked", profiling.ask(Recording([]), "oracle", Questions([], [], set())).said[0])
