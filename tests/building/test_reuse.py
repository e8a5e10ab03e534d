"""What an area has already is offered while one types, and copied; tables get other names and schemas."""

from __future__ import annotations

from django.urls import reverse

from indexa.building import services
from indexa.store.models import StoredColumn, StoredTable
from tests.building.test_building import BuildingCase


class ReuseTests(BuildingCase):
    def setUp(self) -> None:
        super().setUp()
        self.customer = self.entity("Customer", ("Customer Number", "varchar(12)"), ("Name", "varchar(80)"))
        StoredColumn.objects.filter(table=self.customer, name="Customer Number").update(definition="As on the bill.")
        self.first, self.model = self.model, services.create_model(area=self.area, name="Billing", layer="logical")

    def get(self, view: str, pk: int, name: str) -> str:
        return self.client.get(reverse(f"building:{view}", args=[self.area.slug, pk]), {"name": name}).content.decode()

    def test_a_column_of_the_same_name_is_offered_and_taken_with_its_words(self) -> None:
        bill = self.entity("Bill")
        self.assertIn("of Customer in Care", self.get("similar-columns", bill.pk, " customer number"))
        self.assertNotIn("of Customer", self.get("similar-columns", bill.pk, "Colour"))
        like = StoredColumn.objects.get(table=self.customer, name="Customer Number")
        self.post("add-column", bill.pk, like=like.pk)
        made = StoredColumn.objects.get(table=bill)
        self.assertEqual((made.name, made.type, made.definition), ("Customer Number", "varchar(12)", "As on the bill."))
        self.undo()
        self.assertEqual(self.columns(bill), [])

    def test_an_entity_of_the_same_name_is_offered_and_copied_whole(self) -> None:
        offered = self.get("similar-tables", self.model.pk, "customer")
        self.assertIn("Copy with its 2 attributes", offered)
        made = self.post("add-table", self.model.pk, name="Customer", like=self.customer.pk).json()["table"]
        table = StoredTable.objects.get(pk=made[1:])
        self.assertEqual(self.columns(table), [("Customer Number", "varchar(12)"), ("Name", "varchar(80)")])
        self.assertEqual(len(table.keys.get().column_ids), 1)
        self.assertEqual(StoredColumn.objects.get(table=table, position=1).definition, "As on the bill.")
        self.undo()
        self.assertFalse(StoredTable.objects.filter(model=self.model, removed_at__isnull=True).exists())

    def test_a_table_is_renamed_moved_and_copied_to_another_model(self) -> None:
        self.assertContains(self.post("rename-table", self.customer.pk, name="Client"), "Client")
        answer = self.post("copy-table", self.customer.pk, name="Client", model=self.model.pk)
        self.assertEqual(answer.status_code, 302)
        copied = StoredTable.objects.get(model=self.model, name="Client")
        self.assertEqual(self.columns(copied), self.columns(self.customer))
        self.assertContains(self.post("rename-table", self.customer.pk, name=" "), "A name is missing")

    def test_a_table_is_said_to_be_a_dimension_with_its_history_and_that_is_undone(self) -> None:
        self.post("set-part", self.customer.pk, part="dimension", history="history as rows")
        self.customer.refresh_from_db()
        self.assertEqual(self.customer.table_role, "dimension; history as rows")
        self.post("set-part", self.customer.pk, part="planet")
        self.undo()
        self.customer.refresh_from_db()
        self.assertEqual(self.customer.table_role, "")
