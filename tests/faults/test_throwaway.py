"""A server for a rehearsal that can't be made ready or does not start: our own reader tries the script, says why, and nothing stays."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

from indexa.adapters.rehearsing import rehearse
from indexa.adapters.throwaway import _free_port as free_port
from indexa.adapters.throwaway import server
from indexa.core.change.script import Options
from indexa.core.change.writing import change_of, revert_of
from indexa.core.compare.comparing import compare
from indexa.core.model import Column, Model, Table


class NoServerTests(TestCase):
    def rehearsed(self, platform: str, program: str) -> str:
        """Rehearse with a program in place of those of the server; return why it was not tried on one."""
        before = Model(
            name="m", platform=platform, tables=[Table(schema="s", name="t", columns=[Column("a", 1, "int")])]
        )
        after = Model(
            name="m", platform=platform, tables=[Table(schema="s", name="t", columns=[Column("b", 1, "int")])]
        )
        comparison = compare(before, after)
        change = change_of(comparison, platform, Options(allow_drops=True))
        with tempfile.TemporaryDirectory() as folder:
            os.chmod(folder, 0o755)  # noqa: PTH101  the server's own user looks into it
            own = Path(folder) / "server"
            own.write_text(f"#!/bin/sh\n{program}\n")
            own.chmod(0o755)
            with (
                patch("indexa.adapters.throwaway._program", return_value=str(own)),
                patch("indexa.adapters.throwaway._WAIT", 10.0),
                patch("tempfile.tempdir", folder),
            ):
                found = rehearse(before, after, change, revert_of(comparison, platform), lambda *_: None)
            self.assertEqual([one.name for one in Path(folder).iterdir()], ["server"])
        self.assertEqual((found.way, found.left), ("reader", []))
        return found.why_not

    def test_the_reason_is_told_and_nothing_stays(self) -> None:
        for platform in ("postgresql", "mysql"):
            with self.subTest(platform):
                told = self.rehearsed(platform, "echo first >&2; echo no space left on device >&2; exit 1")
                self.assertIn("can't be made ready: no space left on device", told)
                self.assertIn(
                    "can't be made ready: ERROR: 6 no such file",
                    self.rehearsed(platform, "echo 'ERROR: 6 no such file' >&2; echo '0 [ERROR] Aborting' >&2; exit 1"),
                )
                self.assertIn("it gives no reason", self.rehearsed(platform, "exit 3"))
                self.assertIn("did not start", self.rehearsed(platform, "exit 0"))


class ServersSideBySideTests(TestCase):
    def test_temporary_files_of_a_server_are_out_of_reach_of_another(self) -> None:
        with server("mysql") as own:
            database = own.database("home")
            data = Path(database.value("select @@datadir"))
            self.assertEqual(Path(database.value("select @@tmpdir")), data.parent)

    def test_a_port_that_was_taken_in_the_meantime_is_not_used(self) -> None:
        for platform in ("postgresql", "mysql"):
            with self.subTest(platform), server(platform) as first:
                first.database("first").close()
                ports = iter([first.port, free_port()])
                with (
                    patch("indexa.adapters.throwaway._free_port", lambda given=ports: next(given)),
                    server(platform) as second,
                ):
                    self.assertNotEqual(second.port, first.port)
                    second.database("first").close()  # it has none of that name yet
