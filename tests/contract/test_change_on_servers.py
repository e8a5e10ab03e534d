"""Change scripts on running servers: between generated models nothing is left, and only steps that say so stop at rows."""

from __future__ import annotations

import random
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from itertools import cycle
from unittest import TestCase
from unittest.mock import patch

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from indexa.adapters import rehearsing
from indexa.adapters.rehearsing import rehearse
from indexa.adapters.running import run_script
from indexa.adapters.statements import Connected
from indexa.adapters.throwaway import STARTS, Server, server
from indexa.core.change.script import ChangeScript, Options
from indexa.core.change.writing import change_of, revert_of
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.ddl.writing import write_ddl
from indexa.core.model import Model
from tests.changed_models import dressed, furnished, mutated, renamed
from tests.core.test_ddl import models

_EXAMPLES = {"postgresql": 5, "mysql": 3, "sqlite": 15, "duckdb": 4}
_DROPS = Options(allow_drops=True)
_REFUSING = ("may fail", "loses data")


def fitting(model: Model, platform: str) -> Model:
    """Return a model whose relationships join columns of one type, as a server demands; on MySQL no key holds a text."""
    for column in (column for table in model.tables for column in table.columns):
        if platform == "mysql" and "text" in column.type:
            column.type = "varchar(20)"
    tables = {table.name: {column.name: column for column in table.columns} for table in model.tables}
    for _ in model.tables:  # a chain of relationships is followed to its end
        for table in model.tables:
            for key in table.foreign_keys:
                for own, other in zip(key.columns, key.ref_columns, strict=True):
                    tables[table.name][own].type = tables[key.ref_table][other].type
    return model


def compared(base: Model, platform: str, seed: int) -> Comparison:
    """Return a model and another one made of it, with all that tables can have, compared."""
    draw = random.Random(seed)
    before = fitting(base, platform)
    after, renames = mutated(before, platform, draw), None
    before, after = dressed(before, platform, draw), dressed(after, platform, draw)
    if draw.random() < 0.4:
        after, renames = renamed(after, draw)
    return compare(furnished(before, platform, draw), furnished(after, platform, draw), renames=renames)


def _drop_schemas(own: Server) -> None:
    """Drop what an earlier model left on MySQL, where a schema is a database."""
    if own.platform != "mysql":
        return
    database = own.database("none")
    assert isinstance(database, Connected)
    names = database.value(
        "select group_concat(schema_name) from information_schema.schemata where schema_name not in "
        "('mysql', 'information_schema', 'performance_schema', 'sys')"
    )
    for name in str(names).split(","):
        database.run(f"drop schema `{name}`")
    database.close()


class ChangeOnServersTests(TestCase):
    def test_a_script_reaches_the_wanted_structure_on_each_server(self) -> None:
        for platform in STARTS:
            with self.subTest(platform), self.one_server(platform):
                self.bring(platform, _DROPS)

    def test_so_does_one_that_holds_no_lock_for_long(self) -> None:
        with self.one_server("postgresql"):
            self.bring("postgresql", Options(allow_drops=True, online=True))

    def test_run_on_rows_it_ends_or_says_which_rows_are_in_the_way(self) -> None:
        for platform in STARTS:
            with self.subTest(platform), server(platform) as own:
                self.run_on_rows(platform, own)

    @contextmanager
    def one_server(self, platform: str) -> Iterator[None]:
        """Let all rehearsals use the same server, whose databases are made anew; on MySQL two, one for the wanted structure."""
        with ExitStack() as stack:
            turns = cycle([stack.enter_context(server(platform)) for _ in range(1 + (platform == "mysql"))])
            numbers = iter(range(1_000_000))

            @contextmanager
            def shared(_: str) -> Iterator[Server]:
                own, number = next(turns), next(numbers)
                _drop_schemas(own)
                with patch.object(rehearsing, "_HOME", f"home{number}"), patch.object(
                    own, "database", lambda name: type(own).database(own, f"{name}{number}")
                ):  # fmt: skip
                    yield own

            with patch.object(rehearsing, "server", shared):
                yield

    def each(self, platform: str, check: object) -> None:
        """Call a check with comparisons, always the same ones."""
        made = given(models(platform), st.integers(0, 1_000_000))(check)  # type: ignore[arg-type]
        settings(
            max_examples=_EXAMPLES[platform], derandomize=True, phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )(made)()  # fmt: skip

    def script(self, comparison: Comparison, platform: str, options: Options) -> ChangeScript | None:
        """Return the script, None where it says that the platform can't."""
        change = change_of(comparison, platform, options)
        return None if any("can't" in one.what for one in change.kept) else change

    def bring(self, platform: str, options: Options) -> None:
        def check(base: Model, seed: int) -> None:
            comparison = compared(base, platform, seed)
            change = self.script(comparison, platform, options)
            if change is None:
                return
            back = revert_of(comparison, platform)
            found = rehearse(comparison.before, comparison.after, change, back, lambda *_: None)
            self.assertEqual(found.way, "server")
            if found.failed is not None:
                risk = next((one.risk for one in change.steps if one.what == found.failed.what), "may fail")
                self.assertIn(risk, _REFUSING, f"{found.failed}\n{change.text()}")
                return
            self.assertEqual(found.left, [], change.text())
            if found.revert_error:
                risk = next((one.risk for one in back.steps if found.revert_error.startswith(one.what)), "may fail")
                self.assertIn(risk, _REFUSING, f"{found.revert_error}\n{back.text()}")
            self.assertEqual(found.revert_left, [], back.text())

        self.each(platform, check)

    def run_on_rows(self, platform: str, own: Server) -> None:
        numbers = iter(range(1_000_000))

        def check(base: Model, seed: int) -> None:
            comparison = compared(base, platform, seed)
            change = self.script(comparison, platform, _DROPS)
            if change is None:
                return
            _drop_schemas(own)
            database = own.database(f"rows{next(numbers)}")
            try:
                for statement in write_ddl(comparison.before, platform).statements:
                    database.run(statement.text)
                rehearsing._fill(database, comparison.before)
                done = run_script(change, database, lambda *_: None)  # type: ignore[arg-type]
            finally:
                database.close()
            stopped = next((one for one in done if one.error), None)
            if stopped is None or "in the way" in stopped.error:
                return
            step = next(one for one in change.steps if one.what == stopped.what)
            self.assertIn(step.risk, _REFUSING, f"{stopped}\n{change.text()}")
            for words in ("does not exist", "Unknown column", "no such", "Binder Error", "syntax"):
                self.assertNotIn(words, stopped.error, change.text())

        self.each(platform, check)
