"""Business rules and what they govern; owners of terms; codes from files; what a change of a domain touches."""

from __future__ import annotations

import io

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from openpyxl import Workbook

from indexa.areas.models import Role
from indexa.changes import undoing
from indexa.describing import aspects
from indexa.glossary import services
from indexa.glossary.models import CodeList, Domain, Governed, Rule
from tests.factories import PASSWORD, column, make_person, table
from tests.glossary.test_glossary import GlossaryCase


class RuleTests(GlossaryCase):
    def test_a_rule_governs_through_what_is_implemented_and_comes_back_with_all_of_it(self) -> None:
        self.post(
            "new", "rules", name="Never reused", definition="A number is **never** given twice.", reason="Contract"
        )
        rule = Rule.objects.get()
        serial, own = column(self.model, "mtr.mtr_srl_no"), table(self.model, "mtr")
        self.assertContains(self.post("rules-of", "column", serial.pk, rule="never reused"), "Never reused")
        self.post("rules-of", "table", own.pk, rule="Never reused")
        self.assertEqual(
            set(Governed.objects.values_list("object_id", flat=True)), {serial.attribute_id, own.entity_id}
        )
        page = self.page("item", "rules", rule.pk)
        for text in ("<strong>never</strong>", "metering.mtr.mtr_srl_no", "billing logical", "Contract"):
            self.assertContains(page, text)
        margin = self.client.get(reverse("modeling:column-margin", args=[self.area.slug, serial.pk]))
        self.assertContains(margin, "Never reused")
        self.post("delete", "rules", rule.pk)
        self.assertEqual(Governed.objects.count(), 0)
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual((Rule.objects.get(), Governed.objects.count()), (rule, 2))
        self.post("rules-of", "column", serial.pk, remove=rule.pk)
        self.assertEqual(services.rules_of("column", serial.pk), [])
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(services.rules_of("column", serial.pk), [rule])

    def test_what_is_no_rule_and_who_may_not(self) -> None:
        serial = column(self.model, "mtr.mtr_srl_no")
        answer = self.post("rules-of", "column", serial.pk, rule="Nowhere")
        self.assertContains(answer, "There is no “Nowhere” here", status_code=422)
        self.assertEqual(self.page("rules-of", "model", self.model.pk).status_code, 404)
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.post("rules-of", "column", serial.pk, rule="x").status_code, 403)

    def test_a_term_has_an_owner(self) -> None:
        aspects.begin(area=self.area, person=make_person(self.area, Role.ADMINISTRATOR))
        term = self.term("Meter")
        owner = self.area.aspects.get(name="Owner")
        url = reverse("describing:say", args=[self.area.slug, "term", term.pk])
        self.assertContains(
            self.client.post(url, {"aspect": owner.pk, "value": f"p{self.person.pk}"}), self.person.display_name
        )
        self.assertContains(self.page("item", "terms", term.pk), self.person.display_name)
        self.assertEqual(
            self.client.get(reverse("describing:say", args=[self.area.slug, "term", 10**9])).status_code, 404
        )

    def test_codes_come_from_a_text_or_a_spreadsheet(self) -> None:
        book, stream = Workbook(), io.BytesIO()
        for row in (("Code", "Meaning"), ("A", "Active"), (7, "(retired) Lucky")):
            book.active.append(row)
        book.save(stream)
        for name, content, expected in (
            ("codes.csv", "code;meaning\nA;Active\nB;Blocked; for good\n".encode("cp1252"), ["A", "B"]),
            ("codes.xlsx", stream.getvalue(), ["A", "7"]),
        ):
            self.post("new", "lists", name=name, codes="", file=SimpleUploadedFile(name, content))
            self.assertEqual([one.code for one in CodeList.objects.get(name=name).as_core][:2], expected, name)
        for name, content, why in (
            ("twice.csv", b"A;x\nA;y\n", "stands there twice"),
            ("none.csv", b"code;meaning\n", "holds no codes"),
            ("picture.csv", b"\x89PNG\0\0\0", "is no text"),
        ):
            answer = self.post("new", "lists", name=name, codes="", file=SimpleUploadedFile(name, content))
            self.assertContains(answer, why, status_code=422, msg_prefix=name)

    def test_a_change_of_a_domain_tells_what_it_touches_and_is_saved_when_that_was_seen(self) -> None:
        self.post("new", "domains", name="Day", base_type="date")
        domain = Domain.objects.get()
        ids = [column(self.model, "mtr.inst_dt").pk, column(self.model, "mtr.mtr_srl_no").pk]
        services.carry(area=self.area, person=self.person, column_ids=ids, carried={"domain": domain})
        self.assertContains(self.post("edit", "domains", domain.pk, name="A day", base_type="date"), "is saved")
        answer = self.post("edit", "domains", domain.pk, name="A day", base_type="varchar(10)", unit="d")
        self.assertContains(answer, "4 columns carry")
        self.assertContains(answer, "does not fit varchar(10)", count=2)
        domain.refresh_from_db()
        self.assertEqual(domain.base_type, "date")
        sign = answer.context["reach"].sign
        other = self.post("edit", "domains", domain.pk, name="A day", base_type="bigint", unit="d", sure=sign)
        self.assertContains(other, "Nothing is saved yet")
        self.post("edit", "domains", domain.pk, name="A day", base_type="varchar(10)", unit="d", sure=sign)
        domain.refresh_from_db()
        self.assertEqual(domain.base_type, "varchar(10)")
