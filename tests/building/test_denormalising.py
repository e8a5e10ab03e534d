"""Physical models that are deliberately other than their logical one: merged, split, repeated; each column still implements its attribute."""

from __future__ import annotations

from django.urls import reverse

from indexa.building import services
from indexa.core.building import changing
from indexa.reconcile.models import ModelComparison
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from tests.building.test_building import BuildingCase


class DenormalisingTests(BuildingCase):
    def setUp(self) -> None:
        super().setUp()
        customer = self.entity("Customer", ("Customer Number", "integer"), ("Name", "varchar(80)"))
        bill = self.entity("Bill", ("Bill Number", "integer"), ("Due Date", "date"), ("Note", "text"))
        self.relate(customer, bill)
        self.logical = self.model
        self.post("derive", self.model.pk, platform="postgresql", name="Care PG")
        self.run_job()
        self.model = StoredModel.objects.get(name="Care PG")
        self.customer, self.bill = (
            StoredTable.objects.get(model=self.model, name=name) for name in ("customer", "bill")
        )

    def attribute_of(self, table: StoredTable, name: str) -> str:
        found = StoredColumn.objects.get(table=table, name=name, removed_at__isnull=True)
        return found.attribute.name if found.attribute else ""

    def column(self, table: StoredTable, name: str) -> int:
        return StoredColumn.objects.get(table=table, name=name, removed_at__isnull=True).pk

    def test_a_column_is_repeated_a_table_split_and_merged_and_each_is_undone(self) -> None:
        before = self.columns(self.bill)
        self.post("denormalise", self.bill.pk, repeat=self.column(self.customer, "name"))
        self.assertEqual(self.attribute_of(self.bill, "name"), "Name")
        self.undo()
        self.assertEqual(self.columns(self.bill), before)
        self.post("denormalise", self.bill.pk, name="bill_note", column=[self.column(self.bill, "note")])
        split = StoredTable.objects.get(model=self.model, name="bill_note")
        self.assertEqual(self.columns(split), [("bill_number", "integer"), ("note", "text")])
        self.assertEqual(self.attribute_of(split, "note"), "Note")
        self.assertNotIn("note", dict(self.columns(self.bill)))
        self.post("denormalise", self.bill.pk, other=split.pk)
        self.assertEqual(sorted(self.columns(self.bill)), sorted(before))
        self.assertEqual(self.attribute_of(self.bill, "note"), "Note")
        self.undo()
        self.undo()
        self.assertEqual(self.columns(self.bill), before)

    def test_what_can_not_be_is_said(self) -> None:
        for table, given, why in (
            (self.bill, {"other": self.customer.pk}, "does not refer to"),
            (self.bill, {"name": "x", "column": [self.column(self.bill, "bill_number")]}, "Columns of the key"),
            (self.customer, {"repeat": self.column(self.bill, "note")}, "refers to no table that has this column"),
        ):
            with self.subTest(why):
                self.assertContains(self.post("denormalise", table.pk, **given), why)

    def test_a_later_change_of_the_logical_model_is_offered_to_the_physical_one(self) -> None:
        bill = StoredTable.objects.get(model=self.logical, name="Bill")
        services.change(
            area=self.area, person=self.person, model=self.logical, tables=[bill.pk], why="x",
            work=lambda part: changing.add_column(part, bill.pk, "Paid Date", "date"),
        )  # fmt: skip
        self.client.post(
            reverse("reconcile:start", args=[self.area.slug]),
            {"model": self.model.pk, "other": f"model {self.logical.pk}"},
        )
        made = ModelComparison.objects.get()
        self.assertEqual([(one.name, one.kind) for one in made.differences.all()], [("paid_date", "gone")])
        row = made.differences.get()
        self.client.post(
            reverse("reconcile:decide-compared", args=[self.area.slug, made.pk]),
            {"number": row.number, "decision": "take"},
        )
        self.client.post(reverse("reconcile:take", args=[self.area.slug, made.pk]))
        self.assertIn(("paid_date", "date"), self.columns(self.bill))
