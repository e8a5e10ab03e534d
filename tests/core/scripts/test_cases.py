"""Scripts as tools and people write them, each beside the outline of the model that it leaves behind."""

from __future__ import annotations

import os
from pathlib import Path
from unittest import TestCase

from indexa.core import platforms
from indexa.core.scripts.reader import ScriptFile, read_scripts
from tests.core.scripts.outline import outline

CASES = Path(__file__).parent / "cases"


class CaseTests(TestCase):
    maxDiff = None

    def test_every_script_gives_its_outline(self) -> None:
        for script in sorted(CASES.glob("*.sql")):
            with self.subTest(script.stem):
                dialect = platforms.get(script.stem.split(".")[0]).dialect
                found = outline(
                    *read_scripts([ScriptFile("x.sql", script.read_bytes())], dialect, lambda *_: None, "case")
                )
                expected = script.with_suffix(".txt")
                if os.environ.get("INDEXA_ACCEPT_OUTLINES"):  # after the changes were read line by line
                    expected.write_text(found)
                self.assertEqual(found, expected.read_text())

    def test_there_is_a_script_for_every_platform_that_differs(self) -> None:
        self.assertLessEqual(set(platforms.names()) - {script.stem for script in CASES.glob("*.sql")}, set())
