"""The map of a whole model: every table once, no areas on each other, the same each time."""

from __future__ import annotations

from itertools import combinations
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.adapters.graphviz import place_by_graphviz
from indexa.core.diagram.placing import overlap
from indexa.core.diagram.whole_map import CELL_HEIGHT, CELL_WIDTH, map_of
from indexa.core.model import Table
from tests.core.test_diagrams import random_model


class WholeMapTests(TestCase):
    @settings(max_examples=12)
    @given(count=st.integers(1, 400), seed=st.integers(0, 1000))
    def test_each_table_has_a_cell_of_its_own_within_its_area_and_no_areas_touch(self, count: int, seed: int) -> None:
        model = random_model(count, count * 3 // 2, seed)
        areas = map_of(model, place_by_graphviz)
        keys = [key for area in areas for key in area.tables]
        self.assertEqual(sorted(keys), sorted((table.schema, table.name) for table in model.tables))
        self.assertFalse([pair for pair in combinations(areas, 2) if overlap(*pair)])
        for area in areas:
            self.assertEqual(len(set(area.tables.values())), len(area.tables))
            for x, y in area.tables.values():
                self.assertTrue(0 <= x <= area.width - CELL_WIDTH and 0 <= y <= area.height - CELL_HEIGHT)
        self.assertEqual(areas, map_of(model, place_by_graphviz))

    def test_views_are_left_out_and_loose_tables_lie_together_by_schema(self) -> None:
        model = random_model(40, 60, 1)
        model.tables += [Table(schema="x", name=f"loose_{at}") for at in range(3)]
        model.tables += [Table(schema="y", name="alone"), Table(schema="y", name="seen", kind="view")]
        areas = {area.name: area.tables for area in map_of(model, place_by_graphviz)}
        self.assertEqual(set(areas["x, without relationships"]), {("x", f"loose_{at}") for at in range(3)})
        self.assertEqual(set(areas["y, without relationships"]), {("y", "alone")})
