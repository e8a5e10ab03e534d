"""Terms, code lists and domains: kept, carried by columns through their attribute, proposed, deleted and undone."""

from __future__ import annotations

from typing import Any

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.glossary import services
from indexa.glossary.models import CodeList, Domain, Meaning, Term
from indexa.modeling import editing
from indexa.store.models import StoredCheck, StoredObject
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table, text_of


class GlossaryCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        self.client.login(username=self.person.username, password=PASSWORD)

    def post(self, view: str, *args: object, **given: Any) -> Any:
        return self.client.post(reverse(f"glossary:{view}", args=[self.area.slug, *args]), given, follow=True)

    def page(self, view: str, *args: object, **given: Any) -> Any:
        return self.client.get(reverse(f"glossary:{view}", args=[self.area.slug, *args]), given)

    def term(self, name: str, **given: Any) -> Term:
        self.post("new", "terms", name=name, state="draft", **given)
        return Term.objects.get(name=name)


class TermTests(GlossaryCase):
    def test_a_term_is_written_related_carried_found_deleted_and_undone(self) -> None:
        broader = self.term("Device")
        meter = self.term(
            "Meter number", definition="Number on the body.", synonyms="Serial; Badge", broader=broader.pk
        )
        self.assertEqual((meter.synonyms, meter.broader), (["Serial", "Badge"], broader))
        serial = column(self.model, "mtr.mtr_srl_no")
        answer = self.post("carried", serial.pk, term="serial", domain="", code_list="")
        self.assertContains(answer, "There is no “serial” here", status_code=422)
        self.assertContains(self.post("carried", serial.pk, term="Serial", domain="", code_list=""), "Meter number")
        self.assertEqual(Meaning.objects.get().column_id, serial.attribute_id)
        page = self.page("item", "terms", meter.pk)
        self.assertContains(page, "metering.mtr.mtr_srl_no")
        self.assertContains(page, "billing logical")
        self.assertContains(
            self.client.get(reverse("desk:lookup", args=[self.area.slug]), {"q": "badge"}), "Meter number"
        )
        self.post("delete", "terms", meter.pk)
        self.assertEqual((Term.objects.count(), Meaning.objects.get().term), (1, None))
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(Meaning.objects.get().term, meter)

    def test_nothing_is_broader_than_what_is_broader_than_it(self) -> None:
        first = self.term("A")
        second = self.term("B", broader=first.pk)
        answer = self.post("edit", "terms", first.pk, name="A", state="draft", broader=second.pk)
        self.assertContains(answer, "it can&#x27;t be broader too", status_code=422)
        self.assertContains(self.post("new", "terms", name="b ", state="draft"), "is saved")
        self.assertContains(
            self.post("new", "terms", name="B", state="draft"), "There is a term B already", status_code=422
        )
        self.assertContains(self.post("new", "terms", name=" ", state="draft"), "It needs a name", status_code=422)

    def test_terms_are_proposed_from_business_names(self) -> None:
        other = store(self.area, make_model("other"))
        for model in (self.model, other):
            place = editing.place_of(column(model, "mtr.mtr_srl_no"), only_here=False)
            editing.edit(
                area=self.area, person=self.person, place=place, field="business_name", seen="", value="Meter Number"
            )
        self.assertContains(self.page("list", "terms"), "2 columns")
        self.post("accept", "terms", chosen=["Meter Number", "Nothing"])
        term = Term.objects.get()
        self.assertEqual(len(services.carriers(term)), 4)
        self.assertEqual(services.proposed_terms(self.area), [])
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual((Term.objects.count(), Meaning.objects.count()), (0, 0))

    def test_only_an_approver_agrees_and_readers_only_look(self) -> None:
        term = self.term("Meter")
        self.assertEqual(self.post("edit", "terms", term.pk, name="Meter", state="agreed").status_code, 403)
        self.client.login(username=make_person(self.area, Role.APPROVER).username, password=PASSWORD)
        self.post("edit", "terms", term.pk, name="Meter", state="agreed")
        term.refresh_from_db()
        self.assertEqual(term.state, "agreed")
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.page("item", "terms", term.pk).status_code, 200)
        for view, args in (
            ("new", ["terms"]),
            ("edit", ["terms", term.pk]),
            ("delete", ["terms", term.pk]),
            ("accept", ["terms"]),
        ):
            self.assertEqual(self.post(view, *args, name="x", state="draft").status_code, 403, view)
        self.client.login(username=make_person(make_area("other"), Role.ADMINISTRATOR).username, password=PASSWORD)
        self.assertEqual(self.page("item", "terms", term.pk).status_code, 404)


class ListAndDomainTests(GlossaryCase):
    def test_code_lists_are_pasted_checked_and_found_in_checks_and_types(self) -> None:
        self.post("new", "lists", name="Status", codes="A\tActive\nC\t(retired) Closed")
        made = CodeList.objects.get()
        self.assertEqual(
            [(one.code, one.meaning, one.retired) for one in made.as_core],
            [("A", "Active", False), ("C", "Closed", True)],
        )
        self.assertContains(
            self.post("new", "lists", name="X", codes="A;1\nA;2"), "the code A stands there twice", status_code=422
        )
        StoredCheck.objects.create(
            table=table(self.model, "mtr"),
            name="mtr_ck",
            properties={"name": "mtr_ck", "expression": "mtr_srl_no = ANY (ARRAY['A'::text, 'B'::text])"},
        )
        StoredObject.objects.create(
            model=self.model, kind="enum", schema="metering", name="mood", properties={"values": ["bad", "good"]}
        )
        page = self.page("list", "lists")
        self.assertIn("check mtr_ck of metering.mtr: A, B", text_of(page))
        self.post("accept", "lists", chosen=["check mtr_ck of metering.mtr", "type metering.mood of billing"])
        self.assertEqual(set(CodeList.objects.values_list("name", flat=True)), {"Status", "mtr.mtr_srl_no", "mood"})
        self.assertEqual(len(services.carriers(CodeList.objects.get(name="mtr.mtr_srl_no"))), 2)
        self.assertEqual(services.found_lists(self.area), [])
        csv = self.client.get(reverse("glossary:codes-file", args=[self.area.slug, made.pk])).content.decode(
            "utf-8-sig"
        )
        self.assertIn("C,Closed,yes", csv)

    def test_what_a_column_carries_is_saved_all_at_once_or_not_at_all(self) -> None:
        self.term("Meter number")
        self.post("new", "domains", name="Serial number", base_type="varchar(24)")
        serial = column(self.model, "mtr.mtr_srl_no").pk
        sent = {"term": "Meter number", "domain": "Serial number", "code_list": "Nowhere"}
        self.assertContains(self.post("carried", serial, **sent), "There is no “Nowhere” here", status_code=422)
        self.assertEqual(Meaning.objects.count(), 0)
        self.post("carried", serial, **sent | {"code_list": ""})
        self.assertIsNotNone(Meaning.objects.get().domain)
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(Meaning.objects.count(), 0)

    def test_a_domain_proposes_members_and_says_what_it_would_touch(self) -> None:
        self.post(
            "new", "domains", name="Serial number", base_type="varchar(24)", pattern="^[0-9]+$", masked="last 4 digits"
        )
        domain = Domain.objects.get()
        self.assertContains(self.post("new", "domains", name="X", pattern="("), "The pattern is none", status_code=422)
        other = store(self.area, make_model("other"))
        services.carry(
            area=self.area,
            person=self.person,
            column_ids=[column(self.model, "mtr.mtr_srl_no").pk],
            carried={"domain": domain},
        )
        page = self.page("item", "domains", domain.pk)
        self.assertContains(page, "it has the name of a member")
        proposed = [one.pk for one, _ in services.members_to_propose(domain)]
        self.post("members", "domains", domain.pk, chosen=proposed)
        self.assertIn(column(other, "mtr.mtr_srl_no").pk, [one.pk for one in services.carriers(domain)])
