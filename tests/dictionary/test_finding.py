"""What is found beside columns, what was meant by a slip of the keys, where things are used, and what a desk shows of one's own."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.urls import reverse
from django.utils import timezone

from indexa.areas import visits
from indexa.areas.models import Role, Visit
from indexa.describing import aspects, saying
from indexa.describing.saying import Subject
from indexa.dictionary.panels import gaps
from indexa.dictionary.spelling import nearest
from indexa.glossary import services as glossary
from indexa.glossary.models import CodeList, Term
from indexa.modeling import editing
from indexa.store.models import StoredTable, TableViews
from tests.describing.test_saying import DescribingCase
from tests.factories import column, make_area, make_model, make_person, store, table


class FindingTests(DescribingCase):
    def found(self, text: str) -> Any:
        return self.client.get(reverse("desk:lookup", args=[self.area.slug]), {"q": text})

    def name(self, column_name: str, value: str) -> None:
        place = editing.place_of(column(self.model, column_name), only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="business_name", seen="", value=value)

    def test_a_slip_of_the_keys_is_told_and_forgiven(self) -> None:
        self.name("mtr.inst_dt", "Installation day")
        glossary.save(area=self.area, person=self.person, kind=Term, item=None, given={"name": "Customer"})
        for typed, meant in (
            ("instalation", "installation"), ("custmoer", "customer"), ("instalation dya", ""), ("mtr instllation", "mtr installation"),
            ("installation", ""), ("zzzzzz", ""), ("%_\\", ""),
        ):  # fmt: skip
            self.assertEqual(nearest(self.area, typed), meant, typed)
        answer = self.found("instalation")
        self.assertContains(answer, "Found with “installation”")
        self.assertContains(answer, "inst_dt")
        page = self.client.get(
            reverse("dictionary:page", args=[self.area.slug]), {"q": "instalation", "schema": "metering"}
        )
        self.assertContains(page, "Did you mean")
        self.assertContains(page, "?q=installation&amp;schema=metering")
        self.assertEqual(nearest(make_area("Elsewhere"), "instalation"), "")

    def test_what_is_called_so_comes_first_and_codes_and_people_are_found_too(self) -> None:
        self.name("mtr.inst_dt", "Meter")
        glossary.save(area=self.area, person=self.person, kind=Term, item=None, given={"name": "Water meter"})
        given = {"name": "State", "codes": "ACT\tActive since the reading\nB\tBlocked"}
        glossary.save(area=self.area, person=self.person, kind=CodeList, item=None, given=given)
        [first, *_] = self.found("meter").context["found"]
        self.assertEqual((first.kind, first.business_name), ("Column", "Meter"))
        self.assertIn("Term", [one.kind for one in self.found("meter").context["found"]])
        for text in ("act", "since the read"):
            self.assertIn(("Code", "ACT"), [(one.kind, one.name) for one in self.found(text).context["found"]])
        self.assertIn("Person", [one.kind for one in self.found(self.person.display_name.split()[0]).context["found"]])

    def test_a_column_tells_where_it_is_used_with_the_way_there(self) -> None:
        other = store(self.area, make_model("other"), logical=self.model.logical)
        number = column(self.model, "mtr.mtr_id")
        StoredTable.objects.filter(name="v_mtr").update(definition_sql="select m.mtr_id from metering.mtr m")
        page = self.client.get(reverse("modeling:column-margin", args=[self.area.slug, number.pk]))
        for how in (
            "references it", "view that names it", "the attribute it implements", "other, same attribute", "primary key of its table",
        ):  # fmt: skip
            self.assertContains(page, how)
        margin = self.client.get(reverse("modeling:table-margin", args=[self.area.slug, number.table_id]))
        for how in ("references it", "view that reads it", "the entity it implements", "other, same entity"):
            self.assertContains(margin, how)
        self.assertEqual(other.logical_id, self.model.logical_id)

    def test_gaps_are_ones_own_first_and_those_that_are_looked_at(self) -> None:
        own = table(self.model, "mtr_rdg")
        aspects.save_team(area=self.area, team=None, name="Readers", people=[self.person.pk])
        owner = self.aspect("Owner")
        saying.say(
            area=self.area, person=self.person, subject=Subject("table", own.entity_id), aspect=owner, given="Readers"
        )
        desk = reverse("desk:page", args=[self.area.slug])
        self.assertContains(self.client.get(desk), "yours, ")
        self.assertNotContains(self.client.get(desk), "<code>metering.v_mtr</code>", html=True)
        self.assertContains(self.client.get(desk, {"gaps": "all"}), "<code>metering.v_mtr</code>", html=True)
        view = StoredTable.objects.get(model=self.model, name="v_mtr")
        for _ in range(9):
            self.client.get(reverse("modeling:table", args=[self.area.slug, view.pk]))
        self.assertEqual(TableViews.objects.get(table=view).count, 9)
        self.assertEqual(gaps(self.area)[0].table_id, view.pk)

    def test_what_others_changed_since_the_last_visit_is_on_the_desk(self) -> None:
        desk = reverse("desk:page", args=[self.area.slug])
        self.assertNotContains(self.client.get(desk), "Since you were here")
        Visit.objects.update(at=timezone.now() - timedelta(hours=3))
        other = make_person(self.area, Role.STEWARD, "Ada Other")
        place = editing.place_of(column(self.model, "mtr.inst_dt"), only_here=False)
        editing.edit(area=self.area, person=other, place=place, field="definition", seen="", value="Day it was set.")
        self.name("mtr.mtr_id", "Mine")
        page = self.client.get(desk)
        self.assertContains(page, "1 change by others")
        self.assertContains(page, "Ada Other")
        self.assertContains(self.client.get(desk), "1 change by others", msg_prefix="still the same visit")
        self.assertIsNone(visits.last_here(self.area, other.pk))

    def test_a_person_tells_what_they_answer_for(self) -> None:
        owner = self.aspect("Owner")
        subject = Subject("table", table(self.model, "mtr").pk)
        saying.say(area=self.area, person=self.person, subject=subject, aspect=owner, given=self.person.display_name)
        page = self.client.get(reverse("desk:person", args=[self.area.slug, self.person.pk]))
        self.assertContains(page, "metering.mtr")
