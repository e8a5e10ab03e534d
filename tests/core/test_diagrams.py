"""Diagrams: cards never lie on each other, lines go around cards and end at their rows, and it comes out the same each time."""

from __future__ import annotations

import copy
import random
from itertools import combinations, pairwise
from unittest import TestCase

from hypothesis import example, given, settings
from hypothesis import strategies as st

from indexa.adapters.graphviz import place_by_graphviz
from indexa.core.diagram.arranging import arrange
from indexa.core.diagram.cards import TAB, card_of, row_height
from indexa.core.diagram.neighbourhoods import importance, neighbourhoods, suggested
from indexa.core.diagram.parts import DEPTHS, Card, Drawing, Line
from indexa.core.diagram.placing import STYLES, EngineError, overlap, part
from indexa.core.diagram.routing import route
from indexa.core.model import Column, ForeignKey, Key, Model, Table


def random_model(tables: int, relationships: int, seed: int) -> Model:
    """Tables of different sizes in areas of about ten, most relationships within one."""
    rnd = random.Random(seed)
    made = []
    for number in range(tables):
        columns = [Column(f"t{number}_id", 1, "bigint", nullable=False)]
        columns += [
            Column(f"c{at}", at, rnd.choice(["date", "numeric(11,2)", "varchar(40)"]))
            for at in range(2, rnd.randint(3, 24))
        ]
        made.append(
            Table(
                schema=f"s{number // 10}",
                name=f"t{number}",
                columns=columns,
                primary_key=Key(name="pk", columns=(f"t{number}_id",)),
            )
        )
    for number in range(relationships):
        child = rnd.choice(made)
        area = [one for one in made if one.schema == child.schema] if rnd.random() < 0.8 else made
        parent = rnd.choice(area)
        child.foreign_keys.append(
            ForeignKey(name=f"f{number}", columns=(rnd.choice(child.columns).name,), ref_schema=parent.schema, ref_table=parent.name,
                       ref_columns=(parent.columns[0].name,))
        )  # fmt: skip
    return Model(name="random", platform="postgresql", tables=made)


class DrawnTestCase(TestCase):
    def assert_drawn_well(self, drawing: Drawing) -> None:
        """No card on another, every line at right angles from row to row, around other cards, all within the bounds."""
        for one, other in combinations(drawing.cards, 2):
            self.assertFalse(overlap(one, other), f"{one.key} lies on {other.key}")
        cards = {card.key: card for card in drawing.cards}
        for line in drawing.lines:
            self.assert_ends_at_its_row(line, line.points[0], cards[line.child], line.columns[0])
            self.assert_ends_at_its_row(line, line.points[-1], cards[line.parent], line.ref_columns[0])
            for (x, y), (to_x, to_y) in pairwise(line.points):
                self.assertTrue(
                    abs(x - to_x) < 0.2 or abs(y - to_y) < 0.2, f"{line.name} is not at right angles: {line.points}"
                )
                self.assertTrue(min(x, to_x) >= 0 and max(x, to_x) <= drawing.width)
                self.assertTrue(min(y, to_y) >= 0 and max(y, to_y) <= drawing.height)
            self.assertEqual(self.crossed(line, drawing.cards), [], f"{line.name} runs through cards: {line.points}")

    def assert_ends_at_its_row(self, line: Line, at: tuple[float, float], card: Card, column: str) -> None:
        self.assertTrue(min(abs(at[0] - card.x), abs(at[0] - card.right)) < 0.2, f"{line.name} ends beside its card")
        rows = [card.y + row_height(card, column), card.y + row_height(card, column) - 6]
        self.assertTrue(min(abs(at[1] - row) for row in rows) < 0.2, f"{line.name} does not end at its row")

    def crossed(self, line: Line, cards: list[Card]) -> list[object]:
        found = []
        for card in cards:
            for (x, y), (to_x, to_y) in pairwise(line.points):
                across = min(x, to_x) < card.right - 0.5 and max(x, to_x) > card.x + 0.5
                if across and min(y, to_y) < card.bottom - 0.5 and max(y, to_y) > card.y - TAB + 0.5:
                    found.append(card.key)
        return found


class LayoutTests(DrawnTestCase):
    @given(
        st.integers(1, 30), st.integers(0, 45), st.integers(0, 1_000), st.sampled_from(STYLES), st.sampled_from(DEPTHS)
    )
    @settings(max_examples=20)
    @example(tables=11, relationships=28, seed=11, style="radial", depth="columns")
    def test_any_model_in_any_style_is_drawn_well(
        self, tables: int, relationships: int, seed: int, style: str, depth: str
    ) -> None:
        model = random_model(tables, relationships, seed)
        drawing = arrange(model, place_by_graphviz, style=style, depth=depth)  # type: ignore[arg-type]
        self.assertEqual(len(drawing.cards), tables)
        self.assertEqual(len(drawing.lines), relationships)
        self.assert_drawn_well(drawing)

    def test_many_relationships_of_a_table_to_itself_stay_beside_it(self) -> None:
        self.assert_drawn_well(arrange(random_model(2, 12, 82), place_by_graphviz, style="radial", depth="names"))

    def test_the_same_model_gives_the_same_drawing(self) -> None:
        first = arrange(random_model(25, 40, 3), place_by_graphviz)
        self.assertEqual(arrange(random_model(25, 40, 3), place_by_graphviz), first)

    def test_without_an_engine_the_plain_layout_is_used(self) -> None:
        def broken(*_: object) -> list[tuple[float, float]]:
            raise EngineError("It is not there.")

        self.assert_drawn_well(arrange(random_model(12, 15, 1), broken))

    def test_one_card_moved_takes_its_lines_along_and_leaves_the_others(self) -> None:
        drawing = arrange(random_model(20, 25, 5), place_by_graphviz)
        before = copy.deepcopy(drawing.lines)
        moved = next(
            card for card in drawing.cards if any(card.key in (line.child, line.parent) for line in drawing.lines)
        )
        moved.x, moved.y = drawing.width + 100, 60.0
        touched = {at for at, line in enumerate(drawing.lines) if moved.key in (line.child, line.parent)}
        route(drawing.cards, drawing.lines, only=touched)
        for at, line in enumerate(drawing.lines):
            if at in touched:
                self.assertEqual(self.crossed(line, drawing.cards), [])
            else:
                self.assertEqual(line, before[at])

    @given(st.lists(st.tuples(st.integers(0, 300), st.integers(0, 300)), min_size=2, max_size=12))
    @settings(max_examples=60)
    def test_cards_that_lie_on_each_other_are_parted_and_fixed_ones_stay(self, places: list[tuple[int, int]]) -> None:
        cards = []
        for number, (x, y) in enumerate(places):
            card = card_of(Table(name=f"t{number}", columns=[Column("a", 1, "int")]), "columns", "both")
            card.x, card.y = float(x), float(y)
            cards.append(card)
        first = (cards[0].x, cards[0].y)
        part(cards, fixed={cards[0].key: True})
        self.assertEqual((cards[0].x, cards[0].y), first)
        for one, other in combinations(cards, 2):
            self.assertFalse(overlap(one, other))


class ChoiceTests(TestCase):
    def test_hubs_come_first_and_the_suggestion_hangs_together(self) -> None:
        model = random_model(40, 60, 9)
        hub = model.tables[12]
        for table in model.tables[10:20]:
            if table is not hub:
                table.foreign_keys.append(
                    ForeignKey(
                        name="h", columns=("c2",), ref_schema=hub.schema, ref_table=hub.name, ref_columns=("t12_id",)
                    )
                )
        chosen = suggested(model)
        scores = importance(model.tables)
        self.assertEqual(max(scores, key=lambda key: scores[key]), ("s1", "t12"))
        self.assertEqual(chosen[0], ("s1", "t12"))
        self.assertLessEqual(len(chosen), 14)

    def test_every_table_is_in_one_neighbourhood_and_loose_ones_are_together(self) -> None:
        model = random_model(60, 70, 2)
        model.tables.append(Table(schema="x", name="alone", columns=[Column("a", 1, "int")]))
        found = neighbourhoods(model)
        keys = [key for one in found for key in one.tables]
        self.assertEqual(sorted(keys), sorted((table.schema, table.name) for table in model.tables))
        self.assertIn(("x", "alone"), found[-1].tables)
        self.assertEqual(len({one.name for one in found}), len(found))
        self.assertEqual(neighbourhoods(model), found)
