"""infer as a build pipeline or a person at a shell uses it."""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

from indexa.core.model.file import write
from tests.proposals.test_proposals import lab

SOURCES = str(Path(__file__).resolve().parents[2] / "src")


class InferCommandTests(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "lab.json").write_bytes(write(lab()))

    def run_it(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "indexa.cli", "infer", *arguments], capture_output=True, text=True, cwd=self.folder, check=False,
            env=os.environ | {"PYTHONPATH": SOURCES},
        )  # fmt: skip

    def told(self, *arguments: str) -> list[dict[str, Any]]:
        done = self.run_it("lab.json", "-o", "p.json", *arguments)
        self.assertEqual((done.returncode, done.stdout), (0, ""), done.stderr)
        found: list[dict[str, Any]] = json.loads((self.folder / "p.json").read_text())["proposals"]
        return found

    def test_proposals_are_written_with_their_evidence(self) -> None:
        found = {(one["kind"], one["table"], tuple(one["columns"])): one for one in self.told()}
        one = found["foreign_key", "result", ("sample_id",)]
        self.assertEqual(
            (one["schema"], one["ref_schema"], one["ref_table"], one["ref_columns"]),
            ("main", "main", "sample", ["sample_id"]),
        )
        self.assertGreater(one["confidence"], 0.5)
        self.assertTrue(one["evidence"])
        self.assertIn(("primary_key", "result", ("sample_id", "determinand_id")), found)
        self.assertTrue(all(one["confidence"] >= 0.9 for one in self.told("--least", "0.9")))

    def test_the_rows_of_a_database_are_evidence(self) -> None:
        rows = sqlite3.connect(self.folder / "lab.sqlite")
        for table in lab().tables:
            rows.execute(f"create table {table.name} ({', '.join(f'{one.name} {one.type}' for one in table.columns)})")
        rows.executemany("insert into sample values (?, ?, '')", [(1, 5), (2, 6)])
        rows.executemany("insert into point values (?, '')", [(5,), (6,)])
        rows.executemany("insert into result values (?, 1, 0)", [(77,), (78,)])
        rows.commit()
        rows.close()
        without = {
            (one["table"], *one["columns"]): one["confidence"] for one in self.told() if one["kind"] == "foreign_key"
        }
        asked = {
            (one["table"], *one["columns"]): one["confidence"]
            for one in self.told("--data", "lab.sqlite")
            if one["kind"] == "foreign_key"
        }
        self.assertGreater(asked["sample", "point_id"], without["sample", "point_id"])
        self.assertLess(asked.get(("result", "sample_id"), 0), 0.3)

    def test_what_can_not_be_done_is_told_in_a_sentence(self) -> None:
        (self.folder / "bad.json").write_text('{"format": "indexa-model", "version": 1}')
        (self.folder / "t.txt").write_text("no database")
        for arguments, words in (
            (("none.json",), "There is no file none.json"),
            (("bad.json",), "The model file is not valid"),
            (("lab.json", "--data", "t.txt"), "holds no rows to ask"),
        ):
            with self.subTest(arguments):
                done = self.run_it(*arguments)
                self.assertEqual((done.returncode, done.stdout), (1, ""))
                self.assertIn(words, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
