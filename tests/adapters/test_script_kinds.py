"""What is a script and what is none: known by its bytes, whatever its name."""

from __future__ import annotations

import tempfile
from pathlib import Path

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from indexa.adapters.errors import SourceError
from indexa.adapters.script_files import open_scripts

_OTHERS = {
    b"%PDF-1.7\n1 0 obj": "a PDF document",
    b"\x89PNG\r\n\x1a\n": "a picture",
    b"PGDMP\x01\x0e": "PostgreSQL's own format",
    b"SQLite format 3\0": "an SQLite database",
    bytes(range(1, 9)) * 40: "bytes that are no text",
}


def content_of(given_bytes: bytes) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.sql"
        path.write_bytes(given_bytes)
        with open_scripts([("a.sql", path)]) as (file,):
            return bytes(file.content)


class ScriptKindTests(SimpleTestCase):
    def test_other_kinds_of_files_are_named_and_refused(self) -> None:
        for start, what in _OTHERS.items():
            with self.subTest(what), self.assertRaises(SourceError) as raised:
                content_of(start)
            self.assertIn(what, raised.exception.message)

    @given(st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=80))
    def test_any_text_of_statements_is_taken(self, comment: str) -> None:
        script = f"-- {comment}\ncreate table a (id int);\r\n\t".encode()
        self.assertEqual(content_of(script), script)
