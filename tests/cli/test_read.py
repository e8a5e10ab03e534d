"""The headless command: any source in, a model file out, no Django, no half-written file."""

from __future__ import annotations

import io
import os
import subprocess
import sys
import tempfile
from contextlib import redirect_stderr
from pathlib import Path
from unittest import TestCase

from indexa.cli.__main__ import main
from indexa.core.model import Model
from indexa.core.model.file import read

CASES = Path(__file__).parents[1] / "core" / "scripts" / "cases"
DEMO = Path(__file__).parents[2] / "src" / "indexa" / "demo"


class ReadTests(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.output = Path(folder.name) / "model.json"

    def read(self, *arguments: str | Path) -> tuple[int, str, Model | None]:
        message = io.StringIO()
        with redirect_stderr(message):
            code = main(["read", *map(str, arguments), "-o", str(self.output)])
        return code, message.getvalue(), read(self.output.read_bytes()) if self.output.exists() else None

    def test_each_kind_of_source_becomes_a_model_file(self) -> None:
        cases = {
            "script": ([CASES / "oracle.sql"], "oracle", "read as Oracle"),
            "several": ([DEMO / "works.sql", CASES / "mysql.sql"], "mysql", "read as MariaDB"),
            "alias": ([CASES / "sqlserver.sql", "-d", "T-SQL"], "sqlserver", "arrived"),
            "kit": ([DEMO / "works-legacy.csv", "--dialect", "db2"], "db2", "8 tables"),
            "live": ([os.environ["INDEXA_DATABASE_URL"], "--schema", "public"], "postgresql", "schemas"),
        }
        for name, (arguments, platform, words) in cases.items():
            with self.subTest(name):
                code, message, model = self.read(*arguments)
                self.assertEqual(code, 0, message)
                assert model is not None
                self.assertEqual(model.platform, platform)
                self.assertIn(words, message)

    def test_a_choice_narrows_what_is_read(self) -> None:
        _, message, model = self.read(
            DEMO / "billing.sql", "--schema", "bill", "--tables-only", "--include", "inv*", "--exclude", "*arch"
        )
        assert model is not None
        names = {table.name for table in model.tables}
        self.assertIn("inv_ln", names)
        self.assertTrue(all(name.startswith("inv") and not name.endswith("arch") for name in names), names)
        self.assertEqual((model.routines, model.sequences), ([], []))
        self.assertIn("Not chosen", message)

    def test_what_can_not_be_read_leaves_no_file_and_exits_with_one(self) -> None:
        for argument, words in {
            "/none/such.sql": "There is no file",
            "mysql://u@127.0.0.1:9/": "Nothing answers",
            "odd://x": "URL",
        }.items():
            with self.subTest(argument):
                code, message, model = self.read(argument)
                self.assertEqual((code, model), (1, None), message)
                self.assertIn(words, message)

    def test_a_dialect_that_is_none_is_refused_with_those_that_are_known(self) -> None:
        message = io.StringIO()
        with redirect_stderr(message), self.assertRaises(SystemExit):
            main(["read", str(CASES / "mysql.sql"), "-d", "nosuch"])
        self.assertIn("Known are bigquery, db2", message.getvalue())

    def test_a_device_is_written_to_and_not_replaced(self) -> None:
        self.output = Path(os.devnull)
        self.assertEqual(main(["read", str(CASES / "mysql.sql"), "-q", "-o", os.devnull]), 0)
        self.assertTrue(Path(os.devnull).is_char_device())

    def test_it_starts_without_django(self) -> None:
        code = "import sys; from indexa.cli.__main__ import main; main(['read', sys.argv[1], '-q', '-o', sys.argv[2]]); sys.exit('django' in sys.modules)"
        done = subprocess.run(
            [sys.executable, "-c", code, str(CASES / "mysql.sql"), str(self.output)], check=False, env=os.environ
        )
        self.assertEqual(done.returncode, 0)
