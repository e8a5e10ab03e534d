"""What colours of cards stand for, how far names abbreviate each other."""

from __future__ import annotations

from unittest import TestCase

from indexa.adapters.graphviz import place_by_graphviz
from indexa.core.diagram.arranging import arrange
from indexa.core.diagram.marks import HUES, Mark, colour, marks, register_mark
from indexa.core.model import Column
from indexa.core.naming.same_words import abbreviates
from tests.core.test_diagrams import random_model


class MarkTests(TestCase):
    def test_the_commonest_values_get_hues_and_the_legend_names_each(self) -> None:
        drawing = arrange(random_model(90, 60, 4), place_by_graphviz, style="grid")
        self.assertEqual(len(drawing.legend), HUES)
        words = dict(drawing.legend)
        for card in drawing.cards:
            self.assertEqual(words.get(card.hue, card.key[0]), card.key[0])
        model = random_model(3, 0, 1)
        model.tables[0].columns = [Column("a", 1, "int", definition="Said.")]
        drawing = arrange(model, place_by_graphviz)
        colour(drawing, "described")
        self.assertEqual({text for _, text in drawing.legend}, {"every column described", "nothing described"})
        colour(drawing, "kind")
        self.assertEqual((drawing.legend, {card.hue for card in drawing.cards}), ([], {0}))

    def test_a_part_adds_its_own_mark(self) -> None:
        known = marks()
        register_mark(
            Mark("first letter", "first letter", lambda drawing: {card.key: card.name[:1] for card in drawing.cards})
        )
        self.addCleanup(lambda: [register_mark(mark) for mark in known])
        self.assertIn("first letter", [mark.name for mark in marks()])


class AbbreviationTests(TestCase):
    def test_the_same_words_in_the_same_order_some_of_them_shortened(self) -> None:
        for short, whole in (
            ("cust_no", "customer_number"),
            ("acctBal", "accountBalance"),
            ("rg_id", "registration_identifier"),
        ):
            self.assertTrue(abbreviates(short, whole) and abbreviates(whole, short), short)
        for one, other in (
            ("cust_no", "number_customer"),
            ("cust", "customer_number"),
            ("street", "strange"),
            ("a_b", "a_b"),
        ):
            self.assertFalse(abbreviates(one, other), one)
