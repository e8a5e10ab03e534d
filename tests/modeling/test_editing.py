"""Editing words: where they reach, how they are undone, and what happens when two write at once."""

from __future__ import annotations

import psycopg
from django.db import connection
from django.test import TestCase, TransactionTestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.changes.errors import ChangeError, ConflictsError
from indexa.changes.models import Change, ChangeSet
from indexa.dictionary.models import DictionaryRow
from indexa.modeling import editing
from indexa.store.errors import EditError, StaleEditError
from indexa.store.models import DescribedColumn
from tests.factories import PASSWORD, column, make_area, make_model, make_person, server_address, store, table


class EditingTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.anna, self.bert = make_person(self.area, name="anna"), make_person(self.area, name="bert")
        self.stored = store(self.area, make_model())
        self.meter_id = column(self.stored, "mtr.mtr_id")

    def write(self, name: str, value: str, *, field: str = "definition", seen: str = "", only_here: bool = False,
              person: object = None) -> ChangeSet | None:  # fmt: skip
        place = editing.place_of(column(self.stored, name), only_here=only_here)
        return editing.edit(
            area=self.area,
            person=person or self.anna,
            place=place,
            field=field,
            seen=seen,
            value=value,  # type: ignore[arg-type]
        )

    def shown(self, name: str) -> DescribedColumn:
        return DescribedColumn.objects.get(pk=column(self.stored, name).pk)

    def test_a_definition_reaches_what_a_foreign_key_brings(self) -> None:
        self.write("mtr.mtr_id", "Names a meter.")
        self.write("mtr.mtr_id", "Meter Identifier", field="business_name")
        child = self.shown("mtr_rdg.mtr_id")
        self.assertEqual((child.definition, child.definition_from), ("Names a meter.", "migrated"))
        self.assertEqual((child.business_name, child.migrated_entity), ("Meter Identifier", "mtr"))
        row = DictionaryRow.objects.get(pk=child.pk)
        self.assertTrue(row.described and "names a meter." in row.text and "meter identifier" in row.text)
        self.write("mtr_rdg.mtr_id", "The meter that was read.")
        self.assertEqual(self.shown("mtr_rdg.mtr_id").definition, "The meter that was read.")

    def test_a_column_overrides_its_attribute_and_lets_go_again(self) -> None:
        self.write("mtr.inst_dt", "For all.")
        self.write("mtr.inst_dt", "Only here.", only_here=True)
        self.assertEqual(
            (self.shown("mtr.inst_dt").definition, self.shown("mtr.inst_dt").definition_from), ("Only here.", "column")
        )
        self.write("mtr.inst_dt", "", seen="Only here.", only_here=True)
        self.assertEqual(self.shown("mtr.inst_dt").definition, "For all.")

    def test_a_tables_name_reaches_the_rows_of_its_columns(self) -> None:
        place = editing.place_of(table(self.stored, "mtr"), only_here=False)
        editing.edit(area=self.area, person=self.anna, place=place, field="business_name", seen="", value="Water Meter")
        self.assertIn("water meter", DictionaryRow.objects.get(pk=column(self.stored, "mtr.inst_dt").pk).text)

    def test_the_second_of_two_writers_is_told_and_nothing_is_lost(self) -> None:
        self.write("mtr.inst_dt", "Anna's text.")
        with self.assertRaises(StaleEditError) as caught:
            self.write("mtr.inst_dt", "Bert's text.", person=self.bert)
        error = caught.exception
        self.assertEqual((error.theirs, error.yours, error.by), ("Anna's text.", "Bert's text.", "Anna"))
        self.assertEqual(self.shown("mtr.inst_dt").definition, "Anna's text.")
        self.write("mtr.inst_dt", "Bert's text.", seen="Anna's text.", person=self.bert)
        values = Change.objects.order_by("pk").values_list("before", "after")
        self.assertEqual(list(values), [("", "Anna's text."), ("Anna's text.", "Bert's text.")])

    def test_undo_is_the_inverse_change_set_and_goes_back_one_by_one(self) -> None:
        self.write("mtr.inst_dt", "One.")
        self.write("mtr.inst_dt", "Two.", seen="One.")
        self.assertEqual(undoing.undo(area=self.area, person=self.anna).kind, ChangeSet.Kind.UNDO)
        self.assertEqual(self.shown("mtr.inst_dt").definition, "One.")
        undoing.undo(area=self.area, person=self.anna)
        self.assertEqual(self.shown("mtr.inst_dt").definition, "")
        self.assertFalse(DictionaryRow.objects.get(pk=column(self.stored, "mtr.inst_dt").pk).described)
        with self.assertRaisesMessage(ChangeError, "nothing of yours"):
            undoing.undo(area=self.area, person=self.anna)

    def test_undo_does_not_run_over_a_later_change(self) -> None:
        self.write("mtr.inst_dt", "Anna's.")
        self.write("mtr.inst_dt", "Bert's.", seen="Anna's.", person=self.bert)
        with self.assertRaises(ConflictsError):
            undoing.undo(area=self.area, person=self.anna)
        self.assertEqual(self.shown("mtr.inst_dt").definition, "Bert's.")

    def test_what_cannot_be_kept_is_refused(self) -> None:
        with self.assertRaisesMessage(EditError, "too many"):
            self.write("mtr.inst_dt", "x" * 201, field="business_name")
        with self.assertRaisesMessage(EditError, "no field"):
            self.write("mtr.inst_dt", "x", field="origin")
        self.assertIsNone(self.write("mtr.inst_dt", "   "))
        self.assertFalse(ChangeSet.objects.exists())

    def test_a_column_of_another_area_is_out_of_reach(self) -> None:
        other = make_area("Other area")
        stranger = make_person(other, Role.ADMINISTRATOR)
        with self.assertRaises(EditError):
            editing.edit(
                area=other, person=stranger, place=editing.Place("column", self.meter_id.pk), field="definition",
                seen="", value="x",
            )  # fmt: skip


class EditWhileReadingTests(TransactionTestCase):
    def test_an_edit_while_the_model_is_stored_is_put_off_and_not_lost(self) -> None:
        area = make_area()
        stored = store(area, make_model())
        place = editing.place_of(column(stored, "mtr.inst_dt"), only_here=False)
        with psycopg.connect(**server_address(), dbname=connection.settings_dict["NAME"]) as reading:
            reading.execute("select pg_advisory_xact_lock(%s, %s)", [0x1DE8C, stored.logical_id])
            with self.assertRaisesMessage(EditError, "being read again at this moment"):
                editing.edit(area=area, person=make_person(area), place=place, field="definition", seen="", value="x")
        self.assertFalse(ChangeSet.objects.exists())


class EditViewTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.stored = store(self.area, make_model())
        self.column = column(self.stored, "mtr.inst_dt")
        self.url = reverse("modeling:edit", args=[self.area.slug, "column", self.column.pk, "definition"])

    def sign_in(self, role: Role) -> None:
        self.assertTrue(self.client.login(username=make_person(self.area, role).username, password=PASSWORD))

    def test_saving_answers_with_the_margin_and_a_stale_one_with_both_texts(self) -> None:
        self.sign_in(Role.STEWARD)
        saved = self.client.post(self.url, {"seen": "", "value": "Day <it> was set."})
        self.assertContains(saved, "Day &lt;it&gt; was set.")
        self.assertIn("rows-changed", saved.headers["HX-Trigger"])
        stale = self.client.post(self.url, {"seen": "", "value": "Mine."})
        self.assertContains(stale, "Day &lt;it&gt; was set.", status_code=409)
        self.assertContains(stale, "Mine.", status_code=409)
        self.assertEqual(stale.headers["HX-Retarget"], "#edit-definition")

    def test_a_reader_can_look_but_not_write(self) -> None:
        self.sign_in(Role.READER)
        margin = self.client.get(reverse("modeling:column-margin", args=[self.area.slug, self.column.pk]))
        self.assertContains(margin, "inst_dt")
        self.assertNotContains(margin, "data-key-edit")
        self.assertContains(self.client.post(self.url, {"seen": "", "value": "x"}), "role of steward", status_code=403)
        self.assertFalse(ChangeSet.objects.exists())
