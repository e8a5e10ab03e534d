"""Scripts in many wordings, run by a server and read by the reader of scripts: both come to the same model."""

from __future__ import annotations

import os
import random
from contextlib import suppress
from unittest import TestCase

from indexa.adapters.throwaway import STARTS, Server, server
from indexa.core.compare.comparing import compare
from indexa.core.model import Model
from tests.contract.test_meaning_on_servers import told_by
from tests.core.test_ddl import read_back
from tests.written_scripts import ScriptWriter

_SCRIPTS = {"postgresql": 10, "mysql": 6, "sqlite": 20, "duckdb": 10}
_MORE = int(os.environ.get("INDEXA_WRITTEN_SCRIPTS", "0"))
_LONGEST, _TRIES = 24, 60
"""Of statements that a script has, and that are tried to come to them."""


class ReaderOnServersTests(TestCase):
    def test_a_script_leaves_behind_what_the_reader_says(self) -> None:
        for platform in STARTS:
            with server(platform) as own:
                for seed in range(_MORE or _SCRIPTS[platform]):
                    with self.subTest(platform, seed=seed):
                        self.compare_one(own, f"db{seed}", random.Random(seed))

    def compare_one(self, own: Server, name: str, draw: random.Random) -> None:
        """Write a script of what the server takes, and compare what the server then tells with what the script says."""
        database, script = own.database(name), []
        for _, (statement, then) in zip(range(_TRIES), ScriptWriter(own.platform, draw), strict=False):
            with suppress(Exception):  # whatever the server says against it: the statement is not in the script
                database.run(statement)
                then()
                script.append(statement)
            if len(script) == _LONGEST:
                break
        told = told_by(database, name)
        is_mysql = own.platform == "mysql"
        text = f"delimiter //\n{'//'.join(script)}//\n" if is_mysql else ";\n".join(script) + ";"
        read = _in_schema(read_back(text, own.platform), name) if is_mysql else read_back(text, own.platform)
        # Storage is not asked about: a server tells its usual engine, and which schemas there are beside the script's.
        found = [one for one in compare(read, told).differences if one.field != "options" and one.what != "schema"]
        self.assertEqual([f"{one.kind} {one.id}: {one.before} | {one.after}" for one in found], [], text)


def _in_schema(model: Model, name: str) -> Model:
    """Put what a script without schemas makes into the database that it was run in."""
    for one in (*model.tables, *model.routines, *model.sequences):
        one.schema = name
    for table in model.tables:
        for key in table.foreign_keys:
            key.ref_schema = name
        for part in table.partitions:
            part.schema = name
    return model
