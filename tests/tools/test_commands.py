"""Every headless command is reached by `./indexa`, told by its help, and stands in the README."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path
from unittest import TestCase

from indexa.cli.__main__ import EXAMPLES

ROOT = Path(__file__).resolve().parents[2]


class CommandTests(TestCase):
    def run_indexa(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [str(ROOT / "indexa"), *arguments], capture_output=True, text=True, check=False, cwd="/", timeout=120
        )

    def test_each_command_answers_and_is_told(self) -> None:
        told = self.run_indexa("help").stdout
        readme = (ROOT / "README.md").read_text()
        for name in EXAMPLES:
            with self.subTest(name):
                answer = self.run_indexa(name, "--help")
                self.assertEqual(answer.returncode, 0, answer.stderr)
                self.assertIn(f"usage: indexa {name}", answer.stdout)
                self.assertRegex(told, re.compile(rf"^  {name} ", re.M))
                self.assertRegex(readme, rf"`(\./indexa )?{name}\b|indexa {name} ")

    def test_a_command_that_is_none_is_refused_with_those_that_are(self) -> None:
        answer = self.run_indexa("publish")
        self.assertEqual(answer.returncode, 2)
        self.assertIn("there is no command 'publish'", answer.stderr)
        self.assertIn("start [--empty]", answer.stderr)
