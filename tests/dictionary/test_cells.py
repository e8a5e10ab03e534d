"""Cells of the dictionary's grid: written where the words come from, all or none, and never over what somebody else wrote."""

from __future__ import annotations

import json
from typing import Any

from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.changes.models import ChangeSet
from indexa.modeling import editing
from indexa.store.models import DescribedColumn, StoredColumn
from tests.describing.test_saying import DescribingCase
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store


class CellTests(DescribingCase):
    def set(self, *cells: tuple[StoredColumn, str, str, str]) -> Any:
        given = [{"column": one.pk, "field": field, "seen": seen, "value": value} for one, field, seen, value in cells]
        return self.client.post(reverse("dictionary:set-cells", args=[self.area.slug]), {"cells": json.dumps(given)})

    def shown(self, one: StoredColumn, field: str = "definition") -> str:
        return str(getattr(DescribedColumn.objects.get(pk=one.pk), field))

    def test_words_and_what_is_said_go_to_the_attribute_as_one_change_set_that_is_undone(self) -> None:
        serial, day = column(self.model, "mtr.mtr_srl_no"), column(self.model, "mtr.inst_dt")
        private = self.aspect("Personal data")
        before = ChangeSet.objects.count()
        answer = self.set(
            (serial, "definition", "", " Number on the body. "),
            (day, "business_name", self.shown(day, "business_name"), "Day of  installation"),
            (serial, private.field, "", "indirect"),
        )
        self.assertEqual((answer.status_code, answer.json()["conflicts"]), (200, []), answer.content)
        self.assertEqual(answer.json()["rows"][str(serial.pk)][private.field]["value"], "Indirect")
        self.assertIn("Number on the body.", answer.json()["rows"][str(serial.pk)]["definition"]["html"])
        self.assertEqual(self.shown(day, "business_name"), "Day of installation")
        self.assertEqual(StoredColumn.objects.get(pk=serial.attribute_id).definition, "Number on the body.")
        self.assertEqual(ChangeSet.objects.count(), before + 1)
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.shown(serial), "")

    def test_a_column_that_overrides_its_attribute_is_written_itself(self) -> None:
        serial = column(self.model, "mtr.mtr_srl_no")
        place = editing.place_of(serial, only_here=True)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value="Here only.")
        self.set((serial, "definition", "Here only.", "Here alone."))
        self.assertEqual(self.shown(serial), "Here alone.")
        self.assertEqual(StoredColumn.objects.get(pk=serial.attribute_id).definition, "")

    def test_what_somebody_else_wrote_meanwhile_is_told_and_the_rest_is_written(self) -> None:
        serial, day = column(self.model, "mtr.mtr_srl_no"), column(self.model, "mtr.inst_dt")
        self.set((serial, "definition", "", "Theirs."))
        answer = self.set((serial, "definition", "", "Mine."), (day, "definition", "", "Day it was set."))
        self.assertEqual(
            answer.json()["conflicts"], [{"column": serial.pk, "field": "definition", "theirs": "Theirs."}]
        )
        self.assertEqual((self.shown(serial), self.shown(day)), ("Theirs.", "Day it was set."))
        self.assertEqual(
            self.set((serial, "definition", "", "Theirs.")).json()["conflicts"], [], "the same is no conflict"
        )

    def test_all_or_none_with_the_column_named(self) -> None:
        serial, day = column(self.model, "mtr.mtr_srl_no"), column(self.model, "mtr.inst_dt")
        answer = self.set((day, "definition", "", "Kept?"), (serial, "business_name", "", "x" * 300))
        self.assertEqual(answer.status_code, 422)
        self.assertIn("mtr.mtr_srl_no: Business name: 300 characters", answer.json()["message"])
        self.assertEqual(self.shown(day), "")
        self.assertIn("is no field", self.set((day, "comment", "", "x")).json()["message"])
        elsewhere = column(store(make_area("Elsewhere"), make_model()), "mtr.mtr_srl_no")
        self.assertIn("no longer there", self.set((elsewhere, "definition", "", "x")).json()["message"])
        url = reverse("dictionary:set-cells", args=[self.area.slug])
        for bad in ("", "[]", "{}", '[{"column": "x"}]'):
            self.assertEqual(self.client.post(url, {"cells": bad}).status_code, 422, bad)

    def test_readers_write_none(self) -> None:
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        serial = column(self.model, "mtr.mtr_srl_no")
        self.assertEqual(self.set((serial, "definition", "", "x")).status_code, 403)
        self.assertNotContains(self.client.get(reverse("dictionary:page", args=[self.area.slug])), 'role="grid"')
