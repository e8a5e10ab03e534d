"""The commands `compare` and `change`: reports in each form, exit codes, what is ignored, scripts with their revert and report."""

from __future__ import annotations

import json
import sqlite3
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from io import BytesIO, StringIO, TextIOWrapper
from pathlib import Path
from unittest import TestCase

from indexa.cli.__main__ import main

OLD = """create table customer (id integer primary key, name varchar(40), born date);
create table bill (id integer primary key, customer_id integer not null references customer (id));
"""
NEW = """create table customer (id integer primary key, name varchar(40) not null default '?', mail text);
create table bill (id integer primary key, customer_id integer not null references customer (id), due date);
create index bill_by_customer on bill (customer_id);
"""


class CommandTests(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "old.sql").write_text("-- PRAGMA\n" + OLD)
        (self.folder / "new.sql").write_text("-- PRAGMA\n" + NEW)

    def run_it(self, *words: str) -> tuple[int, str, str]:
        out, errors = TextIOWrapper(BytesIO(), "utf-8"), StringIO()
        with redirect_stdout(out), redirect_stderr(errors):
            code = main([word.replace("@", f"{self.folder}/") for word in words])
        out.flush()
        return code, out.buffer.getvalue().decode(), errors.getvalue()  # type: ignore[attr-defined]

    def test_differences_are_told_in_each_form_and_in_the_exit_code(self) -> None:
        code, text, _ = self.run_it("compare", "@old.sql", "@new.sql", "--fail-on", "difference")
        self.assertEqual(code, 1)
        self.assertIn("changed column name nullable: yes → no", text)
        self.assertEqual(self.run_it("compare", "@old.sql", "@old.sql", "--fail-on", "difference")[0], 0)
        self.assertEqual(self.run_it("compare", "@old.sql", "@new.sql")[0], 0)
        self.assertIn(
            "| new index bill\\_by\\_customer |",
            self.run_it("compare", "@old.sql", "@new.sql", "--format", "markdown")[1],
        )
        found = json.loads(self.run_it("compare", "@old.sql", "@new.sql", "--format", "json")[1])
        self.assertEqual(found["counts"]["gone"], 1)
        ignoring = self.run_it("compare", "@old.sql", "@new.sql", "--ignore", "indexes")[1]
        self.assertNotIn("bill_by_customer", ignoring)
        self.assertEqual(self.run_it("compare", "@old.sql", "@nothing.sql")[0], 2)

    def test_a_script_is_written_with_its_revert_and_report_and_both_run(self) -> None:
        code, _, errors = self.run_it("change", "@old.sql", "@new.sql", "--dialect", "sqlite", "-o", "@c.sql")
        self.assertEqual(code, 0)
        self.assertIn("left as it is: main.customer.born", errors)
        code, _, errors = self.run_it(
            "change", "@old.sql", "@new.sql", "--dialect", "sqlite", "-o", "@c.sql", "--revert", "@r.sql", "--report", "@r.json",
            "--allow-drops",
        )  # fmt: skip
        self.assertEqual((code, errors), (0, ""))
        report = json.loads((self.folder / "r.json").read_text())
        self.assertEqual([step["object"] for step in report["loses data"]], ["main.customer"])
        database = sqlite3.connect(self.folder / "x.sqlite")
        database.executescript(
            OLD
            + "insert into customer values (1, null, '2000-01-01'), (2, 'Ann', null); insert into bill values (7, 2);"
        )
        database.executescript((self.folder / "c.sql").read_text())
        self.assertEqual(
            database.execute("select id, name, mail from customer").fetchall(), [(1, "?", None), (2, "Ann", None)]
        )
        self.assertEqual(database.execute("select * from bill").fetchall(), [(7, 2, None)])
        database.executescript((self.folder / "r.sql").read_text())
        self.assertEqual(database.execute("select * from customer").fetchall(), [(1, "?", None), (2, "Ann", None)])
        database.close()

    def test_a_model_of_another_platform_is_refused_in_words(self) -> None:
        self.run_it("read", "@old.sql", "-d", "sqlite", "-o", "@old.json")
        code, _, errors = self.run_it("change", "@old.json", "@new.sql", "--dialect", "oracle")
        self.assertEqual(code, 1)
        self.assertIn("the script would be of oracle", errors)
