"""Templates, styles and scripts are written to be read."""

from __future__ import annotations

from pathlib import Path

from django.test import SimpleTestCase

_SOURCE = Path(__file__).resolve().parents[2] / "src"
_KINDS = (".html", ".css", ".js")
_LONGEST = 120


class LineTests(SimpleTestCase):
    def test_no_line_is_longer_than_one_can_read(self) -> None:
        files = [path for path in _SOURCE.rglob("*") if path.suffix in _KINDS and "vendor" not in path.parts]
        self.assertGreater(len(files), 100)
        too_long = [
            f"{path.relative_to(_SOURCE)}:{number}"
            for path in files
            for number, line in enumerate(path.read_text().splitlines(), 1)
            if len(line) > _LONGEST
        ]
        self.assertEqual(too_long, [])
