"""Change scripts on running servers: between generated models nothing is left, and only steps that say so stop at rows."""

from __future__ import annotations

import random
from unittest import TestCase

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from indexa.adapters.rehearsing import rehearse
from indexa.adapters.throwaway import STARTS
from indexa.core.change.script import Options
from indexa.core.change.writing import change_of, revert_of
from indexa.core.compare.comparing import compare
from indexa.core.model import Model
from tests.core.test_change import dressed, mutated
from tests.core.test_ddl import models

_EXAMPLES = {"postgresql": 4, "mysql": 3, "sqlite": 10, "duckdb": 10}


def fitting(model: Model) -> Model:
    """Return a model whose relationships join columns of one type, as a server demands."""
    tables = {table.name: {column.name: column for column in table.columns} for table in model.tables}
    for _ in model.tables:  # a chain of relationships is followed to its end
        for table in model.tables:
            for key in table.foreign_keys:
                for own, other in zip(key.columns, key.ref_columns, strict=True):
                    tables[table.name][own].type = tables[key.ref_table][other].type
    return model


class ChangeOnServersTests(TestCase):
    def test_a_script_reaches_the_wanted_structure_on_each_server(self) -> None:
        for platform in STARTS:
            with self.subTest(platform):
                self.bring(platform, Options(allow_drops=True))

    def test_so_does_one_that_holds_no_lock_for_long(self) -> None:
        self.bring("postgresql", Options(allow_drops=True, online=True))

    def bring(self, platform: str, options: Options) -> None:
        @settings(
            max_examples=_EXAMPLES[platform], derandomize=True, phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )  # fmt: skip
        @given(models(platform), st.integers(0, 1_000_000))
        def check(before: Model, seed: int) -> None:
            draw = random.Random(seed)
            before = fitting(before)
            after = mutated(before, platform, draw)
            if platform != "mysql":  # which takes no text in a key
                before, after = dressed(before, platform, draw), dressed(after, platform, draw)
            comparison = compare(before, after)
            change = change_of(comparison, platform, options)
            if any("can't" in one.what for one in change.kept):
                return  # it says what the platform can't
            found = rehearse(before, after, change, revert_of(comparison, platform), lambda *_: None)
            self.assertEqual(found.way, "server")
            if found.failed is not None:
                risk = next(step.risk for step in change.steps if step.what == found.failed.what)
                self.assertIn(risk, ("may fail", "loses data"), f"{found.failed}\n{change.text()}")
                return
            self.assertEqual(found.left, [], change.text())

        check()
