"""A second system read into a logical model: its tables are proposed as entities that are there, and share what is said of them."""

from __future__ import annotations

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.changes import undoing
from indexa.core.logical.matching import ColumnShape, Shape, match
from indexa.core.model import Column, Model, Table
from indexa.modeling import editing
from indexa.proposals import deciding
from indexa.proposals.models import StoredProposal
from indexa.store.models import DescribedColumn, StoredTable
from tests.factories import column, make_area, make_person, store, table
from tests.proposals.test_proposals import ProposalCase


def shape(number: int, name: str, *columns: str) -> Shape:
    own = tuple(
        ColumnShape(
            number * 100 + place, text, frozenset(text.split(":")[0].split("_")), text.partition(":")[2] or "text"
        )
        for place, text in enumerate(columns)
    )
    return Shape(number, name, frozenset(name.split("_")), own)


class MatchTests(unittest.TestCase):
    def test_names_and_columns_decide_and_each_is_matched_once(self) -> None:
        tables = [
            shape(1, "customer", "customer_number", "birth_day:date", "name"),
            shape(2, "client", "customer_number", "birth_day:date", "name"),
            shape(3, "audit", "at:date", "who"),
        ]
        entities = [
            shape(11, "customer", "number", "birth_day:date", "name", "since:date"), shape(12, "meter", "serial_number", "name"),
        ]  # fmt: skip
        [found] = match(tables, entities)
        self.assertEqual((found.table, found.entity), (1, 11))
        self.assertEqual(found.columns, ((101, 1101), (102, 1102), (100, 1100)))
        self.assertIn("both names have the word customer", found.evidence)
        self.assertEqual(match(tables, []), [])

    @settings(max_examples=30)
    @given(st.integers(1, 12), st.randoms(use_true_random=False))
    def test_a_model_matches_itself_whatever_the_order(self, count: int, draw: random.Random) -> None:
        words = [f"w{number}" for number in range(40)]
        tables = [
            shape(
                number,
                f"t{number}_{draw.choice(words)}",
                *{"_".join(draw.sample(words, 2)) for _ in range(draw.randint(2, 8))},
            )
            for number in range(1, count + 1)
        ]
        twins = [Shape(one.id + 1_000, one.name, one.words, one.columns) for one in tables]
        draw.shuffle(twins)
        found = match(tables, twins)
        self.assertEqual({(one.table, one.entity) for one in found}, {(one.id, one.id + 1_000) for one in tables})


class SameEntityTests(ProposalCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        first = store(self.area, self.made("PROBE", "probe_id", "taken_at", "point_name"))
        self.stored = store(self.area, self.made("t_probe", "probe_id", "taken_at", "lab"), logical=first.logical)
        for name, field, value in (
            ("PROBE.taken_at", "definition", "When it was taken."), ("t_probe.probe_id", "definition", "Number of a probe."),
        ):  # fmt: skip
            one = column(first if "PROBE" in name else self.stored, name)
            place = editing.place_of(one, only_here=False)
            editing.edit(area=self.area, person=self.person, place=place, field=field, seen="", value=value)
        self.first = first
        self.look()

    def made(self, name: str, *columns: str) -> Model:
        own = [Column(one, place, "text") for place, one in enumerate(columns, 1)]
        rest = Table(schema="main", name=f"{name}_other", columns=[Column(f"{name}_x", 1, "text")])
        return Model(name=name, platform="sqlite", tables=[Table(schema="main", name=name, columns=own), rest])

    def test_it_is_accepted_with_its_columns_and_words_and_undone(self) -> None:
        one = StoredProposal.objects.get(model=self.stored, kind="same_entity", table_name="main.t_probe")
        entity = table(self.first, "PROBE").entity_id
        self.assertEqual(
            (one.table_name, one.ref_table_id, one.columns), ("main.t_probe", entity, ["probe_id", "taken_at"])
        )
        before = table(self.stored, "t_probe").entity_id
        found = StoredProposal.objects.filter(pk=one.pk)
        deciding.decide(area=self.area, person=self.person, proposals=found, accept=True)
        self.assertEqual(table(self.stored, "t_probe").entity_id, entity)
        shown = {
            one.name: one.definition for one in DescribedColumn.objects.filter(model=self.stored, table_name="t_probe")
        }
        self.assertEqual(shown, {"probe_id": "Number of a probe.", "taken_at": "When it was taken.", "lab": ""})
        self.assertEqual(
            DescribedColumn.objects.get(pk=column(self.first, "PROBE.probe_id").pk).definition, "Number of a probe."
        )
        self.look()
        self.assertFalse(
            StoredProposal.objects.filter(
                model=self.stored, kind="same_entity", state="open", table_id=one.table_id
            ).exists()
        )
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(table(self.stored, "t_probe").entity_id, before)
        self.assertEqual(DescribedColumn.objects.get(pk=column(self.stored, "t_probe.taken_at").pk).definition, "")
        self.assertTrue(StoredTable.objects.filter(pk=before).exists())
