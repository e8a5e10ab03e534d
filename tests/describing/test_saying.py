"""What is said of objects: once, high up, reaching all below; in the dictionary, on diagrams; undone; who may."""

from __future__ import annotations

from typing import Any

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.describing import aspects, saying
from indexa.describing.models import Aspect, AspectValue, Assignment, Team
from indexa.describing.saying import Subject
from indexa.dictionary import search
from indexa.dictionary.models import DictionaryCoverage, DictionaryRow
from indexa.dictionary.search import Query
from indexa.store.errors import EditError, StaleEditError
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table, text_of


class DescribingCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.approver = make_person(self.area, Role.APPROVER)
        self.administrator = make_person(self.area, Role.ADMINISTRATOR)
        self.model = store(self.area, make_model())
        aspects.begin(area=self.area, person=self.administrator)
        self.client.login(username=self.person.username, password=PASSWORD)

    def aspect(self, name: str) -> Aspect:
        return Aspect.objects.get(area=self.area, name=name)

    def say(self, name: str, level: str, object_id: int, given: str, **others: Any) -> Any:
        return saying.say(
            area=self.area, person=self.person, subject=Subject(level, object_id, others.pop("schema", "")), aspect=self.aspect(name),
            given=given, **others,
        )  # fmt: skip

    def holds(self, level: str, object_id: int, name: str) -> tuple[str, str]:
        found = {one.aspect.name: one for one in saying.sayings_of(self.area, level, object_id)}
        return found[name].words, saying.origin_in_words(found[name].origin)

    def post(self, view: str, *args: object, **given: Any) -> Any:
        return self.client.post(reverse(f"describing:{view}", args=[self.area.slug, *args]), given, follow=True)


class InheritanceTests(DescribingCase):
    def test_what_is_said_high_up_reaches_all_below_until_something_else_is_said(self) -> None:
        own = table(self.model, "mtr")
        serial = column(self.model, "mtr.mtr_srl_no")
        logical = self.model.logical
        assert logical is not None
        steps = (
            ("area", self.area.pk, "", "the area"), ("model", logical.pk, "", "the logical model"), ("model", self.model.pk, "", "the model"),
            ("schema", self.model.pk, own.schema, "its schema"), ("table", own.entity_id, "", "its entity"), ("table", own.pk, "", "its table"),
            ("column", serial.attribute_id, "", "its attribute"), ("column", serial.pk, "", ""),
        )  # fmt: skip
        for number, (level, object_id, schema, origin) in enumerate(steps):
            team = aspects.save_team(area=self.area, team=None, name=f"Team {number}", people=[])
            assert object_id is not None
            self.say("Owner", level, object_id, team.name, schema=schema)
            self.assertEqual(self.holds("column", serial.pk, "Owner"), (team.name, origin), level)
            row = DictionaryRow.objects.get(column=serial)
            self.assertIn(f"{self.aspect('Owner').pk}:t{team.pk}", row.said)
            self.assertTrue(row.owned)
        self.say("Owner", "column", serial.pk, "")
        self.assertEqual(self.holds("column", serial.pk, "Owner"), ("Team 6", "its attribute"))

    def test_a_default_holds_but_classifies_nothing_and_a_column_raises_its_table(self) -> None:
        own, serial = table(self.model, "mtr"), column(self.model, "mtr.mtr_srl_no")
        self.assertEqual(self.holds("column", serial.pk, "Confidentiality"), ("Internal", "by default"))
        self.assertEqual(DictionaryCoverage.objects.get(table_id=own.pk).classified, 0)
        self.say("Confidentiality", "column", serial.pk, "Secret")
        self.assertEqual(self.holds("table", own.pk, "Confidentiality"), ("Secret", "its columns"))
        self.assertFalse(DictionaryRow.objects.get(column=serial).classified)
        self.say("Personal data", "table", own.pk, "Indirect")
        self.assertTrue(DictionaryRow.objects.get(column=serial).classified)
        self.assertEqual(DictionaryCoverage.objects.get(table_id=own.pk).classified, 1)
        self.say("Confidentiality", "table", own.pk, "Open")
        self.assertEqual(self.holds("table", own.pk, "Confidentiality")[0], "Secret")
        self.assertEqual(DictionaryCoverage.objects.get(table_id=own.pk).classified, own.columns.count())

    def test_an_aspect_that_is_not_inherited_stays_where_it_is_said(self) -> None:
        field = aspects.save_aspect(
            area=self.area, person=self.administrator, aspect=None, kind="field", name="Since", type_="date", applies=["table", "column"],
            inherited=False,
        )  # fmt: skip
        own, serial = table(self.model, "mtr"), column(self.model, "mtr.mtr_srl_no")
        self.say("Since", "table", own.pk, "2026-12-01")
        self.assertEqual(self.holds("table", own.pk, "Since"), ("2026-12-01", ""))
        self.assertEqual(self.holds("column", serial.pk, "Since"), ("", ""))
        with self.assertRaisesMessage(EditError, "is no date"):
            self.say("Since", "table", own.pk, "31.2.2026")
        with self.assertRaisesMessage(EditError, "its type stays date"):
            aspects.save_aspect(
                area=self.area,
                person=self.administrator,
                aspect=field,
                kind="field",
                name="Since",
                type_="text",
                applies=["table"],
            )


class SayingTests(DescribingCase):
    def test_it_is_said_in_the_margin_found_by_filters_and_undone(self) -> None:
        serial = column(self.model, "mtr.mtr_srl_no")
        owner = self.aspect("Owner")
        page = self.post(
            "say", "column", serial.pk, aspect=owner.pk, value=f"p{self.person.pk}", seen="", seen_shared=""
        )
        self.assertContains(page, self.person.display_name)
        # Said of its attribute, since it was not only for this column.
        self.assertEqual(Assignment.objects.get(aspect=owner).object_id, serial.attribute_id)
        hits = search.first_hits(Query(self.area.pk, filters={f"a{owner.pk}": (f"p{self.person.pk}",)}))
        self.assertEqual(hits.ids, [serial.pk])
        exact = search.exact_hits(Query(self.area.pk))
        self.assertEqual(exact.facets[f"a{owner.pk}"][f"p{self.person.pk}"], 1)
        self.assertEqual(exact.facets[f"a{owner.pk}"]["none"], exact.count - 1)
        page = self.client.get(reverse("dictionary:page", args=[self.area.slug]), {f"a{owner.pk}": "none"})
        self.assertNotContains(page, f"pick-{serial.pk}")
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.holds("column", serial.pk, "Owner")[0], "")
        self.assertEqual(
            search.first_hits(Query(self.area.pk, filters={f"a{owner.pk}": (f"p{self.person.pk}",)})).count, 0
        )

    def test_schemas_models_and_the_area_are_owned_on_their_pages(self) -> None:
        owner = self.aspect("Owner")
        person = f"p{self.person.pk}"
        where = reverse("describing:say", args=[self.area.slug, "schema", self.model.pk])
        answer = self.client.post(f"{where}?schema=metering", {"aspect": owner.pk, "value": person, "seen": ""})
        self.assertContains(answer, self.person.display_name)
        self.assertEqual(
            self.holds("table", table(self.model, "mtr").pk, "Owner"), (self.person.display_name, "its schema")
        )
        self.assertEqual(self.client.get(f"{where}?schema=nowhere").status_code, 404)
        self.post("say", "area", self.area.pk, aspect=self.aspect("Steward").pk, value=person, seen="")
        self.assertEqual(self.holds("model", self.model.pk, "Steward"), (self.person.display_name, "the area"))
        self.assertEqual(self.holds("model", self.model.pk, "Confidentiality"), ("Internal", "by default"))
        overview = self.client.get(reverse("modeling:overview", args=[self.area.slug, self.model.pk]))
        self.assertContains(overview, "schema=metering")
        self.assertContains(self.client.get(reverse("describing:aspects", args=[self.area.slug])), "The whole area")

    def test_two_who_say_different_things_are_told(self) -> None:
        own = table(self.model, "mtr")
        self.say("Confidentiality", "table", own.pk, "Secret")
        with self.assertRaises(StaleEditError):
            self.say("Confidentiality", "table", own.pk, "Open", seen="")
        answer = self.post(
            "say", "table", own.pk, aspect=self.aspect("Confidentiality").pk, value="Open", seen="", only_here="1"
        )
        self.assertContains(answer, "Meanwhile it was set to Secret", status_code=422)

    def test_what_is_said_of_many_is_one_change_set(self) -> None:
        ids = list(DictionaryRow.objects.filter(model_id=self.model.pk).values_list("column_id", flat=True))
        count = saying.say_of_many(
            area=self.area, person=self.person, aspect=self.aspect("Confidentiality"), level="column", given="Restricted", why="All of them",
            ids_sql="select column_id from dictionary_row where model_id = %s", parameters=[self.model.pk],
        )  # fmt: skip
        self.assertEqual(count, len(ids))
        self.assertEqual(self.holds("column", ids[0], "Confidentiality"), ("Restricted", ""))
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(self.holds("column", ids[-1], "Confidentiality"), ("Internal", "by default"))
        elsewhere = store(make_area("other"), make_model())
        values = {column(elsewhere, "mtr.mtr_srl_no").pk: "c1"}
        self.assertEqual(
            saying.say_of_many(area=self.area, person=self.person, aspect=self.aspect("Confidentiality"), level="column", values=values, why="x"), 0
        )  # fmt: skip

    def test_names_that_are_not_known_are_refused_with_what_there_is(self) -> None:
        with self.assertRaisesMessage(
            EditError, "“Hidden” is not known. It can be: Open, Internal, Restricted, Secret."
        ):
            self.say("Confidentiality", "table", table(self.model, "mtr").pk, "Hidden")
        with self.assertRaisesMessage(EditError, "no longer there"):
            self.say("Confidentiality", "table", 10**9, "Open")
        with self.assertRaisesMessage(EditError, "can't be said of this"):
            self.say("Retention", "column", column(self.model, "mtr.mtr_srl_no").pk, "1 year")

    def test_who_may_say_and_define(self) -> None:
        reader, elsewhere = make_person(self.area, Role.READER), make_person(make_area("other"), Role.ADMINISTRATOR)
        own, owner = table(self.model, "mtr"), self.aspect("Owner")
        for person, statuses in (
            (reader, (200, 403, 403, 403)), (self.person, (200, 200, 403, 403)), (self.approver, (200, 200, 200, 403)),
            (self.administrator, (200, 200, 200, 200)), (elsewhere, (404, 404, 404, 404)),
        ):  # fmt: skip
            self.client.login(username=person.username, password=PASSWORD)
            look = self.client.get(reverse("describing:say", args=[self.area.slug, "table", own.pk]))
            said = self.post("say", "table", own.pk, aspect=owner.pk, value="", seen="", only_here="1")
            scheme = self.client.get(reverse("describing:new", args=[self.area.slug]), {"kind": "class"})
            field = self.client.get(reverse("describing:new", args=[self.area.slug]), {"kind": "field"})
            self.assertEqual(tuple(one.status_code for one in (look, said, scheme, field)), statuses, person.username)


class DefiningTests(DescribingCase):
    def setUp(self) -> None:
        super().setUp()
        self.client.login(username=self.administrator.username, password=PASSWORD)

    def sheet(self, aspect: Aspect, *rows: tuple[int, str, str], **given: Any) -> Any:
        return self.post(
            "aspect", aspect.pk, name=aspect.name, applies=aspect.applies, inherited="1", value_id=[row[0] for row in rows],
            value_name=[row[1] for row in rows], value_meaning=[row[2] for row in rows], **given,
        )  # fmt: skip

    def test_the_values_of_a_scheme_are_edited_as_a_sheet(self) -> None:
        scheme = self.aspect("Impact")
        low, medium, high = scheme.values.all()
        self.say("Impact", "table", table(self.model, "mtr").pk, "High")
        rows = [
            (medium.pk, "Low", ""),
            (low.pk, "Medium", "A day"),
            (0, "", ""),
            (high.pk, "High", ""),
            (0, "Fatal", ""),
        ]
        self.assertContains(self.sheet(scheme, *rows, default="Medium"), "Impact is saved")
        self.assertEqual(
            [one.name for one in AspectValue.objects.filter(aspect=scheme)], ["Low", "Medium", "High", "Fatal"]
        )
        scheme.refresh_from_db()
        self.assertEqual(scheme.default_value, low.token)
        self.assertContains(self.sheet(scheme, *rows[:2]), "High is in use and stays", status_code=422)
        self.assertContains(self.sheet(scheme, *rows, (0, "fatal", "")), "stands there twice", status_code=422)
        self.assertContains(self.sheet(scheme, *rows, (0, "", "no name")), "Each value needs a name", status_code=422)

    def test_a_scheme_goes_with_what_was_said_and_owners_stay(self) -> None:
        self.say("Impact", "table", table(self.model, "mtr").pk, "High")
        self.assertContains(self.post("remove", self.aspect("Impact").pk), "Impact is removed, with 1 value.")
        self.assertContains(self.post("remove", self.aspect("Owner").pk), "Owner can&#x27;t be removed")

    def test_teams(self) -> None:
        self.post("new-team", name="Metering", people=[self.person.pk, make_person(None).pk])
        team = Team.objects.get()
        self.assertEqual(list(team.members.all()), [self.person])
        self.say("Owner", "model", self.model.pk, "metering")
        self.assertContains(self.post("remove-team", team.pk), "Metering owns something")
        self.assertContains(self.post("new-team", name="Metering"), "There is a team Metering already", status_code=422)
        page = self.client.get(reverse("describing:aspects", args=[self.area.slug]))
        self.assertIn("Metering", text_of(page))
