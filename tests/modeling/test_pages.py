"""Pages of models: what they show, in a few queries, and what can be done from them."""

from __future__ import annotations

import json

from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from indexa.areas.models import Person, Role
from indexa.core.model import Domain, Enum, Routine, file
from indexa.modeling import editing
from indexa.store.models import StoredModel, StoredRelationship
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table, text_of


class ModelPageTests(TestCase):
    person: Person

    @classmethod
    def setUpTestData(cls) -> None:
        cls.area = make_area()
        cls.person = make_person(cls.area, Role.ADMINISTRATOR)
        model = make_model()
        model.enums.append(Enum(schema="metering", name="src", values=("VISIT", "SENT")))
        model.domains.append(Domain(schema="metering", name="amt", type="numeric(12,2)", default="0", nullable=False))
        model.routines.append(
            Routine(schema="metering", name="f", kind="function", arguments="a int", returns="int", language="sql",
                    definition="select '<b>'")
        )  # fmt: skip
        cls.stored = store(cls.area, model)

    def setUp(self) -> None:
        self.client.login(username=self.person.username, password=PASSWORD)

    def address(self, name: str, pk: int | None = None) -> str:
        return reverse(f"modeling:{name}", args=[self.area.slug, pk or self.stored.pk])

    def define(self, value: str, seen: str = "") -> None:
        place = editing.place_of(column(self.stored, "mtr.inst_dt"), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen=seen, value=value)

    def test_the_overview_counts_and_names_the_landmarks(self) -> None:
        self.define("Day it was set.")
        page = self.client.get(self.address("overview"))
        self.assertIn("1 of 7, 14 %", text_of(page))
        self.assertContains(page, "references 0, referenced by 1")
        self.assertContains(page, "Day it was set.")
        self.assertContains(page, "?kind=enum")

    def test_tables_are_filtered_by_any_part_of_a_name_in_one_query(self) -> None:
        self.client.get(self.address("tables"))
        with self.assertNumQueries(5):
            page = self.client.get(self.address("tables"), {"q": "rdg"}, headers={"HX-Request": "true"})
        self.assertContains(page, "mtr_<mark>rdg</mark>")
        self.assertNotContains(page, "v_mtr")
        self.assertNotContains(page, "<html")

    def test_relationships_are_listed_narrowed_and_sorted(self) -> None:
        page = self.client.get(self.address("relationships"))
        self.assertIn(
            "metering.mtr_rdg mtr_id metering.mtr mtr_id many to one, identifying declared rdg_fk", text_of(page)
        )
        self.assertContains(self.client.get(self.address("relationships"), {"q": "rdg_f", "sort": "-name"}), "<mark>")
        self.assertContains(self.client.get(self.address("relationships"), {"q": "nosuch"}), "No relationship fits")
        StoredRelationship.objects.update(asserted_at=timezone.now())
        shown = text_of(self.client.get(self.address("relationships"), {"show": "asserted"}))
        self.assertIn("asserted 1", shown)
        self.assertNotIn("declared rdg_fk", shown)

    def test_tables_sort_by_every_column_and_views_alone_are_shown(self) -> None:
        names = ["metering.mtr", "metering.mtr_rdg", "metering.v_mtr"]
        for sort, order in {
            "": names,
            "-": names[::-1],
            "-columns": None,
            "refers": None,
            "business_name": None,
        }.items():
            with self.subTest(sort):
                page = text_of(self.client.get(self.address("tables"), {"sort": sort}))
                places = [page.index(f"{name} ") for name in names]
                self.assertEqual(places, sorted(places, reverse=order == names[::-1]) if order else places)
        self.assertNotIn("mtr_rdg", text_of(self.client.get(self.address("tables"), {"kind": "view"})))

    def test_types_and_routines_are_shown_and_none_of_it_is_markup(self) -> None:
        page = self.client.get(self.address("objects"))
        for words in ("VISIT", "numeric(12,2)", "not null", "a int", "&lt;b&gt;"):
            self.assertContains(page, words)
        self.assertNotContains(self.client.get(self.address("objects"), {"kind": "enum"}), "numeric(12,2)")

    def test_a_table_shows_relationships_both_ways_and_the_query_of_a_view(self) -> None:
        meter = self.client.get(self.address("table", table(self.stored, "mtr").pk))
        self.assertContains(meter, "Referenced by")
        self.assertContains(meter, reverse("modeling:table", args=[self.area.slug, table(self.stored, "mtr_rdg").pk]))
        reading = self.client.get(self.address("table", table(self.stored, "mtr_rdg").pk))
        self.assertContains(reading, "identifying")
        self.assertContains(self.client.get(self.address("table", table(self.stored, "v_mtr").pk)), "Query of the view")

    def test_the_model_file_can_be_read_back(self) -> None:
        model = file.read(self.client.get(self.address("file")).content)
        self.assertEqual([t.name for t in model.tables], ["mtr", "mtr_rdg", "v_mtr"])
        self.assertEqual(model.tables[1].foreign_keys[0].ref_table, "mtr")

    def test_undo_tells_what_it_undid_or_why_not(self) -> None:
        url = reverse("changes:undo", args=[self.area.slug])
        self.define("One.")
        self.assertEqual(json.loads(self.client.post(url).content)["message"], "Undone: definition of mtr.inst_dt.")
        self.assertEqual(self.client.post(url).status_code, 422)
        history = self.client.get(self.address("history"))
        self.assertContains(history, "Undone:")
        self.assertContains(history, '<span class="tag">undone</span>')

    def test_a_model_is_deleted_by_an_administrator_and_its_logical_model_if_asked(self) -> None:
        refused = self.client.post(self.address("delete", self.stored.logical_id), follow=True)
        self.assertContains(refused, "is implemented by billing")
        self.assertContains(self.client.get(self.address("overview")), "no other model implements it")
        self.client.post(self.address("delete"), {"with_logical": "1"})
        self.assertFalse(StoredModel.objects.exists())
