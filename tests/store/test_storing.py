"""Storing readings: nothing is lost on the way in or out, and a second reading keeps every human word."""

from __future__ import annotations

import copy

from django.test import TestCase
from hypothesis import given, settings
from hypothesis.extra.django import TestCase as PropertyTestCase

from indexa.core.model import Column, Model, file
from indexa.dictionary.models import DictionaryRow
from indexa.modeling import editing, services
from indexa.store.loading import load_model
from indexa.store.models import DescribedColumn, Snapshot, StoredColumn, StoredModel, StoredTable
from indexa.store.storing import read_snapshot
from tests.core.strategies import models
from tests.factories import column, make_area, make_model, make_person, store, table


def bare(model: Model) -> Model:
    """Take off what the store adds (ids and links) and put tables in one order."""
    model = copy.deepcopy(model)
    model.tables.sort(key=lambda table: (table.schema, table.name))
    for one in model.tables:
        one.id = one.realises = ""
        for part in one.columns:
            part.id = part.realises = part.migrated_from = ""
    return model


class RoundTripTests(PropertyTestCase):
    @given(models())
    @settings(max_examples=25)
    def test_what_was_read_comes_out_of_the_store_again(self, reading: Model) -> None:
        before = copy.deepcopy(reading)
        stored = store(make_area(), reading)
        self.assertEqual(bare(load_model(stored)), bare(before))
        assert stored.snapshot
        self.assertEqual(read_snapshot(stored.snapshot), before)
        logical = load_model(stored.logical)  # type: ignore[arg-type]
        self.assertEqual(sorted(t.name for t in logical.tables), sorted(t.name for t in before.tables))
        services.delete(area=stored.area, model_id=stored.pk, with_logical=True)
        for kind in (StoredModel, StoredTable, StoredColumn, DictionaryRow):
            self.assertFalse(kind.objects.exists(), kind)  # type: ignore[attr-defined]


class SecondReadingTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.stored = store(self.area, make_model())
        for name, words in {"mtr.mtr_srl_no": "Serial number.", "mtr.inst_dt": "Day it was set."}.items():
            place = editing.place_of(column(self.stored, name), only_here=False)
            editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value=words)
        own = editing.Place("column", column(self.stored, "mtr_rdg.rdg_val").pk)
        editing.edit(area=self.area, person=self.person, place=own, field="definition", seen="", value="Only here.")

    def shown(self, name: str) -> str:
        return DescribedColumn.objects.get(pk=column(self.stored, name).pk).definition

    def test_words_and_ids_stay_through_a_rename_in_the_source(self) -> None:
        before = {c.name: c.pk for c in StoredColumn.objects.filter(table__model=self.stored)}
        table_id = table(self.stored, "mtr").pk
        again = make_model()
        again.tables[0].name, again.tables[0].columns[1].name = "meter", "serial_no"
        again.tables[0].unique[0].columns = ("serial_no",)
        again.tables[1].foreign_keys[0].ref_table = "meter"
        store(self.area, again, into=self.stored)
        self.assertEqual(table(self.stored, "meter").pk, table_id)
        self.assertEqual(column(self.stored, "meter.serial_no").pk, before["mtr_srl_no"])
        self.assertEqual(self.shown("meter.serial_no"), "Serial number.")
        self.assertEqual(self.shown("mtr_rdg.rdg_val"), "Only here.")

    def test_what_is_gone_keeps_its_words_and_comes_back_with_them(self) -> None:
        without = make_model()
        del without.tables[0].columns[2]
        store(self.area, without, into=self.stored)
        gone = column(self.stored, "mtr.inst_dt")
        self.assertIsNotNone(gone.removed_at)
        self.assertFalse(DictionaryRow.objects.filter(pk=gone.pk).exists())
        self.assertFalse(DescribedColumn.objects.filter(pk=gone.pk).exists())
        store(self.area, make_model(), into=self.stored)
        back = column(self.stored, "mtr.inst_dt")
        self.assertEqual((back.pk, back.removed_at), (gone.pk, None))
        self.assertEqual(self.shown("mtr.inst_dt"), "Day it was set.")

    def test_another_table_that_got_the_same_handle_is_not_taken_for_a_renamed_one(self) -> None:
        again = make_model()
        again.tables[0].name = "quite_another"
        again.tables[0].columns = [Column("x", 1, "int"), Column("y", 2, "int")]
        again.tables[0].primary_key, again.tables[0].unique = None, []
        again.tables[1].foreign_keys = []
        store(self.area, again, into=self.stored)
        self.assertIsNotNone(table(self.stored, "mtr").removed_at)
        self.assertNotEqual(table(self.stored, "quite_another").pk, table(self.stored, "mtr").pk)

    def test_reading_the_same_again_changes_nothing(self) -> None:
        before = file.write(load_model(self.stored))
        store(self.area, make_model(), into=self.stored)
        self.assertEqual(file.write(load_model(self.stored)), before)
        self.assertEqual(Snapshot.objects.count(), 1)

    def test_two_physical_models_share_one_logical_model_and_its_words(self) -> None:
        second = store(self.area, make_model("warehouse"), logical=self.stored.logical)
        self.assertEqual(second.logical_id, self.stored.logical_id)
        self.assertEqual(StoredTable.objects.filter(model=self.stored.logical).count(), 2)
        shared = DescribedColumn.objects.get(pk=column(second, "mtr.mtr_srl_no").pk)
        self.assertEqual((shared.definition, shared.definition_from), ("Serial number.", "attribute"))
        own = DescribedColumn.objects.get(pk=column(second, "mtr_rdg.rdg_val").pk)
        self.assertEqual(own.definition, "")

    def test_a_table_of_a_name_that_an_entity_has_gets_an_entity_of_its_own(self) -> None:
        again = make_model()
        twin = copy.deepcopy(again.tables[0])
        twin.schema, twin.origin = "archive", ""
        again.tables.append(twin)
        store(self.area, again, into=self.stored)
        entities = StoredTable.objects.filter(model=self.stored.logical).values_list("schema", "name")
        self.assertEqual(set(entities), {("", "mtr"), ("", "mtr_rdg"), ("archive", "mtr")})
        own = StoredTable.objects.get(model=self.stored, schema="archive")
        self.assertEqual(own.entity.schema, "archive")  # type: ignore[union-attr]
        store(self.area, again, into=self.stored)
        self.assertEqual(StoredTable.objects.filter(model=self.stored.logical).count(), 3)

    def test_a_logical_model_in_use_is_not_deleted_and_it_goes_along_only_if_asked(self) -> None:
        assert self.stored.logical_id
        with self.assertRaises(services.ModelInUseError):
            services.delete(area=self.area, model_id=self.stored.logical_id)
        services.delete(area=self.area, model_id=self.stored.pk)
        self.assertTrue(StoredModel.objects.filter(pk=self.stored.logical_id).exists())
