"""Code lists from lookup tables: only where it was allowed, bounded, on every platform whose rows can be asked here."""

from __future__ import annotations

import os
import sqlite3
import tempfile
from pathlib import Path
from typing import Any

import duckdb
import pymysql
from django.test import TransactionTestCase
from django.urls import reverse
from pymysql.constants import CLIENT

from indexa.adapters.address import Address, parse_address
from indexa.adapters.live import open_source
from indexa.areas.models import Role
from indexa.core.platforms import RefusedError
from indexa.glossary.models import CodeList, Meaning
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.sources import code_tables, services
from indexa.sources.intake import read_source
from indexa.sources.models import Source
from indexa.store.models import StoredTable
from tests.factories import PASSWORD, column, database, make_area, make_person, make_source

_ROWS = """create table `st;at` (`c``d` varchar(4), ds varchar(40));
insert into `st;at` values ('B', 'Blocked, for "now"'), ('A', null), (null, 'nothing'), ('é', 'accent');"""
_READ = [("A", ""), ("B", 'Blocked, for "now"'), ("é", "accent")]
_SCRIPT = """create schema s;
create table s.sts (sts_cd char(2) primary key, sts_ds text);
comment on table s.sts is 'Status of a meter';
insert into s.sts values ('A ', 'Active'), ('B ', '  Blocked  ');
create table s.big (big_cd int primary key, big_nm text);
insert into s.big select n, 'x' from generate_series(1, 2100) n;
create table s.mtr (mtr_id int primary key, sts_cd char(2) references s.sts, big_cd int references s.big, a date, b date, c date, d date);
grant usage on schema s to public; grant select on all tables in schema s to public;"""


class PlatformTests(TransactionTestCase):
    def read(self, platform: str, address: Address, password: str, schema: str) -> list[tuple[str, str]]:
        with open_source(platform, address, password) as opened:
            with self.assertRaises(RefusedError):
                opened.read_codes(schema, "nowhere", "a", "b")
            return opened.read_codes(schema, "st;at", "c`d", "ds")

    def test_files_and_mariadb(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            lite = sqlite3.connect(Path(folder) / "a.sqlite")
            lite.executescript(_ROWS)
            lite.close()
            self.assertEqual(self.read("sqlite", Address("", 0, f"{folder}/a.sqlite"), "", "main"), _READ)
            with duckdb.connect(f"{folder}/a.duckdb") as duck:
                duck.execute(_ROWS.replace("``", "\0").replace("`", '"').replace("\0", "`"))
            self.assertEqual(self.read("duckdb", Address("", 0, f"{folder}/a.duckdb"), "", "main"), _READ)
        _, address, password = parse_address(os.environ["INDEXA_TEST_MARIADB_URL"])
        name = f"codes_{os.getpid()}"
        server = pymysql.connect(host=address.host, port=address.port, user=address.user, password=password,
                                 client_flag=CLIENT.MULTI_STATEMENTS, autocommit=True)  # fmt: skip
        with server, server.cursor() as cursor:
            for statement in (f"create database {name}", f"use {name}", *_ROWS.split(";\n")):
                cursor.execute(statement)
            try:
                self.assertEqual(self.read("mysql", address, password, name), _READ)
            finally:
                cursor.execute(f"drop database {name}")


class LookupTableTests(TransactionTestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)

    def url(self, view: str, source: Source) -> str:
        return reverse(f"sources:{view}", args=[self.area.slug, source.pk])

    def read(self, source: Source, **tables: int) -> str:
        arguments: dict[str, Any] = {"source": source.pk, "tables": list(tables.values())}
        return code_tables.read_in_background(
            Job(area=self.area, started_by=self.person, arguments=arguments), Silent()
        )

    def test_lookup_tables_become_code_lists_that_their_columns_carry_and_that_are_read_anew(self) -> None:
        self.client.login(username=self.person.username, password=PASSWORD)
        with database(_SCRIPT) as name:
            source = make_source(self.area, name, ["s"])
            read_source(
                services.start_intake(source=source, schemas=["s"], kinds=["tables"], logical=None, person=self.person),
                Silent(),
            )
            source.refresh_from_db()
            model = source.model
            assert model is not None
            ids = {table.name: table.pk for table in StoredTable.objects.filter(model=model)}
            page = self.client.get(self.url("codes", source))
            self.assertEqual([one.table.name for one in page.context["offered"]], ["big", "sts"])
            answer = self.client.post(self.url("codes", source), {"chosen": [ids["sts"]]})
            self.assertContains(answer, "An administrator has to allow first", status_code=422)
            self.assertEqual(self.client.post(self.url("allow-codes", source), {"allowed": "1"}).status_code, 403)
            self.client.login(username=make_person(self.area, Role.ADMINISTRATOR).username, password=PASSWORD)
            self.client.post(self.url("allow-codes", source), {"allowed": "1"})
            self.assertEqual(self.client.post(self.url("codes", source), {"chosen": [ids["sts"]]}).status_code, 302)
            self.read(source, sts=ids["sts"])
            made = CodeList.objects.get()
            self.assertEqual([(one.code, one.meaning) for one in made.as_core], [("A", "Active"), ("B", "Blocked")])
            self.assertEqual((made.meaning, made.origin), ("Status of a meter", "table s.sts of billing"))
            carrying = {column(model, "sts.sts_cd").attribute_id, column(model, "mtr.sts_cd").attribute_id}
            self.assertEqual(set(Meaning.objects.values_list("column_id", flat=True)), carrying)
            self.read(source, sts=ids["sts"])
            self.assertEqual(CodeList.objects.count(), 1)
            with self.assertRaisesMessage(JobFailedError, "it has more than 2,000 rows"):
                self.read(source, big=ids["big"])
            Source.objects.update(reads_codes=False)
            with self.assertRaises(JobFailedError):
                self.read(source, sts=ids["sts"])
