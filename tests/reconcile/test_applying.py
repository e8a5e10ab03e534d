"""Taking later readings: the store is just the chosen state, undo is the one before, and nothing else is touched."""

from __future__ import annotations

import copy
import random

from django.db import connection
from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as PropertyTestCase

from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.changes.recording import record
from indexa.core.compare.applying import apply
from indexa.core.compare.comparing import compare
from indexa.core.compare.differences import with_required
from indexa.core.model import Column, ForeignKey, Model, Table
from indexa.modeling import editing
from indexa.reconcile.readings import apply_reading
from indexa.store.assertions import Assertion, assert_all
from indexa.store.errors import EditError
from indexa.store.loading import load_model
from indexa.store.models import DescribedColumn, StoredColumn, StoredModel, StoredRelationship, StoredTable
from indexa.store.storing import read_snapshot
from tests.core.strategies import models
from tests.core.test_comparing import as_set, mutated
from tests.factories import column, make_area, make_model, make_person, store, table
from tests.store.test_storing import bare


def described(model: StoredModel) -> dict[int, str]:
    """Return every definition that people wrote, by the column it is kept at."""
    return dict(
        StoredColumn.objects.filter(table__model_id__in=[model.pk, model.logical_id])
        .exclude(definition="")
        .values_list("pk", "definition")
    )


class StoredStateProperties(PropertyTestCase):
    @given(models(), st.integers(0, 1_000_000))
    @settings(max_examples=40)
    def test_the_store_is_the_chosen_state_and_undo_the_one_before(self, first: Model, seed: int) -> None:
        draw = random.Random(seed)
        second = mutated(first, draw)
        area = make_area()
        person = make_person(area)
        stored = store(area, copy.deepcopy(first))
        for one in StoredColumn.objects.filter(table__model=stored):
            place = editing.place_of(one, only_here=draw.random() < 0.5)
            editing.edit(area=area, person=person, place=place, field="definition", seen="", value=f"words {one.pk}")
        words = described(stored)
        comparison = compare(copy.deepcopy(first), copy.deepcopy(second))
        ids = sorted(one.id for one in comparison.differences)
        taken = with_required(comparison.differences, {id_ for id_ in ids if draw.random() < 0.6})
        expected = apply(compare(copy.deepcopy(first), copy.deepcopy(second)), taken).model
        done = apply_reading(area=area, person=person, physical=stored, comparison=comparison, taken=taken, why="again")
        self.assertEqual(as_set(bare(load_model(stored))), as_set(expected))
        self.assertEqual(described(stored), words)
        undone = undoing.undo(area=area, person=person, change_set_id=done.change_set.pk)
        self.assertEqual(as_set(bare(load_model(stored))), as_set(first))
        self.assertEqual(described(stored), words)
        self.assertEqual(undone.undoes, done.change_set)
        self.assertFalse(StoredTable.objects.filter(model=stored, removed_at__isnull=False).exists())


class TakingTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, make_model())

    def now(self) -> Model:
        assert self.stored.snapshot is not None
        return copy.deepcopy(read_snapshot(self.stored.snapshot))

    def take(self, after: Model) -> ChangeSet:
        stored = StoredModel.objects.select_related("snapshot", "logical").get(pk=self.stored.pk)
        assert stored.snapshot is not None
        comparison = compare(read_snapshot(stored.snapshot), after)
        taken = {one.id for one in comparison.differences}
        return apply_reading(
            area=self.area, person=self.person, physical=stored, comparison=comparison, taken=taken, why="again"
        ).change_set

    def test_only_what_differs_is_touched(self) -> None:
        after = self.now()
        many = copy.deepcopy(after)
        many.tables += [
            Table(schema="x", name=f"t{number}", columns=[Column("id", 1, "bigint"), Column("v", 2, "text")])
            for number in range(40)
        ]
        self.take(many)
        kept = dict(StoredTable.objects.filter(model=self.stored).values_list("name", "pk"))
        later = copy.deepcopy(many)
        later.tables[-1].columns[1].type = "varchar(9)"
        before = self.places(kept["t0"]), self.places(kept["mtr"])
        self.take(later)
        self.assertEqual((self.places(kept["t0"]), self.places(kept["mtr"])), before)
        self.assertEqual(dict(StoredTable.objects.filter(model=self.stored).values_list("name", "pk")), kept)
        self.assertEqual(column(self.stored, "t39.v").type, "varchar(9)")

    def places(self, table_id: int) -> list[tuple[str]]:
        """Where the rows of a table lie: PostgreSQL moves a row that is written."""
        with connection.cursor() as cursor:
            cursor.execute(
                "select 't' || ctid::text from model_table where id = %(id)s union all select 'c' || ctid::text from model_column "
                "where table_id = %(id)s union all select 'd' || ctid::text from dictionary_row where table_id = %(id)s order by 1",
                {"id": table_id},
            )
            return list(cursor.fetchall())

    def test_a_new_relationship_reaches_the_logical_model_and_brings_words(self) -> None:
        after = self.now()
        after.tables.append(Table(
            schema="metering", name="tag", columns=[Column("tag_id", 1, "bigint", False), Column("mtr_id", 2, "bigint")],
            foreign_keys=[ForeignKey(name="tag_mtr", columns=("mtr_id",), ref_schema="metering", ref_table="mtr", ref_columns=("mtr_id",))],
        ))  # fmt: skip
        place = editing.place_of(column(self.stored, "mtr.mtr_id"), only_here=False)
        editing.edit(
            area=self.area, person=self.person, place=place, field="definition", seen="", value="Names a meter."
        )
        self.take(after)
        shown = DescribedColumn.objects.get(pk=column(self.stored, "tag.mtr_id").pk)
        self.assertEqual((shown.definition, shown.definition_from), ("Names a meter.", "migrated"))

    def test_a_persons_name_stays_through_the_sources_rename(self) -> None:
        from indexa.modeling.renaming import rename_many

        crew = column(self.stored, "mtr.inst_dt")
        rename_many(
            area=self.area,
            person=self.person,
            model_id=self.stored.pk,
            why="",
            names=[("column", crew.pk, "inst_dt", "set_on")],
        )
        after = self.now()
        after.tables[0].columns[2].name = "install_date"
        self.take(after)
        crew.refresh_from_db()
        self.assertEqual((crew.name, crew.source_name, crew.removed_at), ("set_on", "install_date", None))

    def test_what_comes_back_is_what_it_was(self) -> None:
        first = self.now()
        place = editing.place_of(column(self.stored, "mtr_rdg.rdg_val"), only_here=True)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value="Only here.")
        without = copy.deepcopy(first)
        without.tables = [one for one in without.tables if one.name != "mtr_rdg"]
        self.take(without)
        gone = table(self.stored, "mtr_rdg")
        self.assertIsNotNone(gone.removed_at)
        self.take(first)
        back = column(self.stored, "mtr_rdg.rdg_val")
        self.assertEqual((back.table_id, back.definition, back.removed_at), (gone.pk, "Only here.", None))

    def test_an_assertion_waits_for_its_column_and_gives_way_to_the_sources_own(self) -> None:
        first = self.now()
        first.tables[1].foreign_keys = []
        self.take(first)
        reading, _ = self.assert_relationship()
        mine = StoredRelationship.objects.filter(table=reading.table_id)
        self.assertEqual(mine.get().asserted_at is not None, True)
        self.assertEqual(column(self.stored, "mtr_rdg.mtr_id").roles & 2, 2)
        without = copy.deepcopy(first)
        del without.tables[1].columns[0]
        without.tables[1].primary_key = None
        self.take(without)
        self.assertFalse(mine.exists())
        self.take(first)
        self.assertIsNotNone(mine.get().asserted_at)
        self.take(self.with_key(first))
        self.assertIsNone(mine.get().asserted_at)

    def test_an_assertion_that_is_undone_while_it_stands_aside_stays_away(self) -> None:
        first = self.now()
        first.tables[1].foreign_keys = []
        self.take(first)
        reading, made = self.assert_relationship()
        without = copy.deepcopy(first)
        del without.tables[1].columns[0]
        without.tables[1].primary_key = None
        self.take(without)
        undoing.undo(area=self.area, person=self.person, change_set_id=made.pk)
        self.take(first)
        self.assertFalse(StoredRelationship.objects.filter(table=reading.table_id).exists())

    def test_a_reading_is_undone_redone_and_undone_again(self) -> None:
        before, after = self.now(), self.now()
        after.tables[0].columns.append(Column("fresh", 4, "int"))
        after.tables[0].comment = "two"
        taken = self.take(after)
        for _ in range(2):
            undoing.undo(area=self.area, person=self.person)
            self.assert_like(before)
            undoing.redo(area=self.area, person=self.person)
            self.assert_like(after)
        taken.refresh_from_db()
        self.assertTrue(taken.in_force)

    def assert_like(self, wanted: Model) -> None:
        self.stored.refresh_from_db()
        found = load_model(self.stored)
        self.assertEqual([t.comment for t in found.tables], [t.comment for t in wanted.tables])
        names = [[c.name for c in t.columns] for t in found.tables]
        self.assertEqual(names, [[c.name for c in t.columns] for t in wanted.tables])

    def assert_relationship(self) -> tuple[StoredColumn, ChangeSet]:
        reading, meter = column(self.stored, "mtr_rdg.mtr_id"), column(self.stored, "mtr.mtr_id")
        one = Assertion(
            kind="foreign", name="rdg to mtr", table=reading.table_id, columns=[reading.pk], ref_table=meter.table_id,
            ref_columns=[meter.pk],
        )  # fmt: skip
        with record(area=self.area, person=self.person, model_id=self.stored.pk) as changes:
            assert_all(changes, [one])
        return reading, changes.change_set

    def with_key(self, model: Model) -> Model:
        after = copy.deepcopy(model)
        after.tables[1].foreign_keys = make_model().tables[1].foreign_keys
        return after

    def test_undo_is_refused_when_a_later_reading_was_taken(self) -> None:
        first = self.now()
        second, third = copy.deepcopy(first), copy.deepcopy(first)
        second.tables[0].comment, third.tables[0].comment = "two", "three"
        earlier = self.take(second)
        self.take(third)
        with self.assertRaisesMessage(EditError, "a later reading"):
            undoing.undo(area=self.area, person=self.person, change_set_id=earlier.pk)
