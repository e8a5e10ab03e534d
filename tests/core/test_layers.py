"""The import contract: the core knows nothing above it, adapters nothing of the web."""

import os
import subprocess
from pathlib import Path

from django.test import SimpleTestCase

ROOT = Path(__file__).resolve().parents[2]


class LayerTests(SimpleTestCase):
    def test_the_import_contract_holds(self) -> None:
        done = subprocess.run(
            [ROOT / ".venv" / "bin" / "lint-imports", "--no-cache"], cwd=ROOT, capture_output=True, text=True,
            env=os.environ | {"PYTHONPATH": str(ROOT / "src")}, check=False,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn("3 kept, 0 broken", done.stdout)
