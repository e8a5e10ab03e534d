"""split, expand, mine and check as a build pipeline or a person at a shell uses them."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

from indexa.core.model.file import write
from tests.factories import make_model

SOURCES = str(Path(__file__).resolve().parents[2] / "src")
SCRIPT = 'CREATE TABLE meters (mtr_id int PRIMARY KEY, "ReadingDate" date, cust_nm text);'
STANDARD = {"name": "s", "platform": "postgresql", "rules": {"column": {}, "table": {"number": "singular", "severity": "error"}},
            "words": [{"word": "Reading", "abbreviations": ["rdg"]}, {"word": "Date", "abbreviations": ["dt"]}]}  # fmt: skip


class NameCommandTests(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.put("model.json", write(make_model()))
        self.put("a.sql", SCRIPT.encode())
        self.put("s.json", json.dumps(STANDARD).encode())
        self.put("list.json", b"[]")
        self.put("w.csv", b"rdg,Register Value\n")

    def put(self, name: str, content: bytes) -> None:
        (self.folder / name).write_bytes(content)

    def run_it(self, *arguments: str, given: str = "") -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "indexa.cli", *arguments],
            input=given,
            capture_output=True,
            text=True,
            cwd=self.folder,
            timeout=60,
            env=os.environ | {"PYTHONPATH": SOURCES},
        )

    def lines(self, *arguments: str, given: str = "") -> list[dict[str, object]]:
        done = self.run_it(*arguments, given=given)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        return [json.loads(line) for line in done.stdout.splitlines()]

    def test_split(self) -> None:
        found = self.lines("split", given="mtrRdgDt\n\nlastlogindate\r\n")
        self.assertEqual([one["words"] for one in found], [["mtr", "rdg", "dt"], [], ["last", "login", "date"]])

    def test_expand_lines_and_models_in_order(self) -> None:
        given = '{"name": "rdg_dt", "table": "t", "comment": "Day of the reading"}\n{"name": "x", "table": null}\n'
        first, second = self.lines("expand", given=given)
        self.assertEqual((first["business_name"], first["table"], first["words"]), ("Reading Date", "t", ["rdg", "dt"]))
        self.assertEqual(second["name"], "x")
        names = [one["name"] for one in self.lines("expand", "model.json")]
        self.assertEqual(names[:3], ["mtr", "mtr_id", "mtr_srl_no"])
        self.assertEqual(
            self.lines("expand", given=(self.folder / "model.json").read_text()), self.lines("expand", "model.json")
        )
        text = self.lines("expand", "--wordbook", "w.csv", given='{"name": "rdg_no"}\n')[0]
        self.assertEqual(text["business_name"], "Register Value Number")

    def test_mine(self) -> None:
        found = {one["short"]: one for one in self.lines("mine", "model.json")}
        self.assertEqual((found["mtr"]["word"], found["mtr"]["count"]), ("meter", 5))
        self.assertEqual(set(found["rdg"]), {"short", "word", "confidence", "evidence", "count"})

    def test_what_cannot_be_read_is_told_with_its_line(self) -> None:
        for arguments, given, message in (
            (("expand",), '{"name": "a"}\n{"nam": 1}\n', "line 2"), (("expand",), "no json\n", "line 1"), (("mine", "nowhere.json"), "", "no file"),
            (("split", "-w", "a.sql"), "a\n", "a.sql"), (("expand", "s.json"), "", "s.json"), (("expand",), '{"name": "a", "table": 3}\n', "table"),
        ):  # fmt: skip
            with self.subTest(arguments):
                done = self.run_it(*arguments, given=given)
                self.assertEqual(done.returncode, 1)
                self.assertIn(message, done.stderr)
                self.assertNotIn("Traceback", done.stderr)

    def test_check_fails_a_build_and_a_baseline_lets_old_sins_be(self) -> None:
        done = self.run_it("check", "a.sql", "-s", "s.json")
        self.assertEqual(done.returncode, 1)
        self.assertIn("error: a.sql:1: public.meters", done.stdout)
        self.assertIn("rdg_dt", done.stdout)
        self.assertEqual(
            self.run_it("check", "a.sql", "-s", "s.json", "--baseline", "b.json", "--write-baseline").returncode, 0
        )
        quiet = self.run_it("check", "a.sql", "-s", "s.json", "--baseline", "b.json")
        self.assertEqual((quiet.returncode, quiet.stdout), (0, "No findings.\n"))
        self.put("a.sql", (SCRIPT + "\nALTER TABLE meters ADD COLUMN Reading_Value int;").encode())
        fresh = self.run_it(
            "check", "a.sql", "-s", "s.json", "--baseline", "b.json", "-f", "sarif", "--fail-on", "error"
        )
        self.assertEqual(fresh.returncode, 0)
        self.assertEqual(len(json.loads(fresh.stdout)["runs"][0]["results"]), 1)
        self.assertEqual(self.run_it("check", "model.json", "-f", "junit", "-o", "r.xml").returncode, 0)
        self.assertIn("<testsuites", (self.folder / "r.xml").read_text())
        for arguments in (
            ("check", "nowhere"),
            ("check", "s.json"),
            ("check", "list.json"),
            ("check", "a.sql", "-s", "a.sql"),
            ("check", "a.sql", "--baseline", "s.json"),
            ("check", "a.sql", "--write-baseline"),
        ):
            broken = self.run_it(*arguments)
            self.assertEqual(broken.returncode, 2)
            self.assertNotIn("Traceback", broken.stderr)
