"""Naming standards as stored: versions, what a change would do, findings, waivers."""

from __future__ import annotations

import json
from unittest.mock import patch

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.core.naming.standard import read_standard
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.naming.standards import services as standards
from indexa.naming.standards.models import NameFinding, StandardVersion, StoredStandard, Waiver
from indexa.naming.standards.services import StandardError
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from tests.factories import PASSWORD, make_area, make_model, make_person, store, table


class StandardTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        BookWord.objects.create(wordbook=wordbooks.books_of(self.area)[0], word="Meter", abbreviations=["met", "mtr"])
        self.standard = standards.make(area=self.area, person=self.person, name="Plain")
        self.client.login(username=self.person.username, password=PASSWORD)

    def at(self, name: str, *more: object) -> str:
        return reverse(f"naming:{name}", args=[self.area.slug, *more])

    def change(self, kind: str = "column", **fields: str) -> int:
        given = {
            "used": "1",
            "case": "lower",
            "separator": "_",
            "form": "short",
            "number": "any",
            "severity": "warning",
            **fields,
        }
        return self.client.post(self.at("rule", self.standard.pk, kind), given).status_code

    def govern(self) -> None:
        standards.govern(stored=self.standard, models=[self.model])

    def test_a_change_is_told_before_it_is_saved_as_the_next_version(self) -> None:
        self.govern()
        self.assertEqual(NameFinding.objects.count(), 0)
        text = self.client.post(self.at("rule", self.standard.pk, "column"), {
            "used": "1", "case": "lower", "separator": "_", "form": "short", "number": "any", "severity": "error",
        }).content.decode()  # fmt: skip
        self.assertIn("<strong>4</strong> findings more", text)
        self.assertIn("<code>met_id</code>", text)
        self.assertEqual(StandardVersion.objects.count(), 1)
        self.assertEqual(self.change(act="save", severity="error", why="short forms hold"), 204)
        self.standard.refresh_from_db()
        self.assertEqual((self.standard.version, StandardVersion.objects.latest("number").why), (2, "short forms hold"))
        found = NameFinding.objects.get(place="metering.mtr.mtr_id")
        self.assertEqual((found.rule, found.should, found.severity), ("short form", "met_id", "error"))
        self.assertEqual(self.change(act="save", severity="error"), 204)
        self.assertEqual(StandardVersion.objects.count(), 2)

    def test_a_rule_that_cannot_be_is_refused_with_what_was_typed(self) -> None:
        for fields in (
            {"kind": "index", "pattern": "{{ nobody }}"},
            {"max_length": "many"},
            {"allowed": "z-a"},
            {"case": "odd"},
            {"max_length": "9999"},
        ):
            with self.subTest(fields=str(fields)):
                self.assertEqual(self.change(act="save", **fields), 422)
        self.standard.refresh_from_db()
        self.assertEqual(self.standard.version, 1)
        self.assertEqual(self.client.get(self.at("rule", self.standard.pk, "nothing")).status_code, 404)

    def test_findings_are_shown_where_people_look_and_waived_with_a_reason(self) -> None:
        self.govern()
        self.change(act="save")
        page = self.client.get(self.at("findings")).content.decode()
        self.assertIn("<code>met_id</code>", page)
        self.assertIn("By the wordbook <code>mtr</code> should be <code>met</code>", page)
        finding = NameFinding.objects.get(place="metering.mtr.mtr_id")
        places = {
            "overview": reverse("modeling:overview", args=[self.area.slug, self.model.pk]), "desk": reverse("desk:page", args=[self.area.slug]),
            "table": reverse("modeling:table", args=[self.area.slug, table(self.model, "mtr").pk]),
        }  # fmt: skip
        self.assertContains(self.client.get(places["overview"]), "4 findings")
        self.assertContains(self.client.get(places["desk"]), "4 against the standard")
        self.assertContains(self.client.get(places["table"]), "should be <code>met_id</code>")
        self.assertEqual(self.client.post(self.at("waive", finding.pk), {"reason": " "}).status_code, 422)
        self.assertContains(
            self.client.post(self.at("waive", finding.pk), {"reason": "Printed on letters."}), "Printed on letters."
        )
        self.assertContains(self.client.get(places["overview"]), "3 findings")
        self.assertNotContains(self.client.get(places["table"]), "should be <code>met_id</code>")
        self.assertNotContains(self.client.get(self.at("findings")), "Printed on letters.")
        self.assertContains(self.client.get(self.at("findings") + "?waived=only"), "Printed on letters.")
        standards.check_model(self.model)
        self.assertEqual(standards.open_findings(self.area), {self.model.pk: 3})
        self.client.post(self.at("waive", NameFinding.objects.get(place="metering.mtr.mtr_id").pk), {"act": "back"})
        self.assertFalse(Waiver.objects.exists())

    def test_a_model_has_one_standard_and_none_leaves_no_findings(self) -> None:
        self.govern()
        self.change(act="save")
        self.assertTrue(NameFinding.objects.exists())
        other = standards.make(area=self.area, person=self.person, name="Other")
        self.client.post(self.at("govern", other.pk), {"models": [self.model.pk]})
        self.assertEqual(standards.standard_of(self.model), other)
        self.assertFalse(self.standard.governs.exists())
        self.client.post(self.at("govern", other.pk), {})
        self.assertIsNone(standards.standard_of(self.model))
        self.assertFalse(NameFinding.objects.exists())
        with self.assertRaises(StandardError):
            standards.make(area=self.area, person=self.person, name="Other")

    def test_a_large_model_is_checked_by_one_job(self) -> None:
        with patch("indexa.naming.standards.services.AT_ONCE", 1):
            self.govern()
            self.client.get(self.at("findings"))
        job = Job.objects.get(kind="names")
        address = standards.check_in_background(job, Silent())
        self.assertEqual(self.client.get(address).status_code, 200)
        self.assertFalse(standards.is_stale(self.model))

    def test_the_file_for_a_pipeline_holds_rules_and_agreed_words(self) -> None:
        core = read_standard(self.client.get(self.at("standard-file", self.standard.pk)).content)
        self.assertEqual([(word.word, word.abbreviations) for word in core.words], [("Meter", ("met", "mtr"))])
        self.assertEqual(json.loads(json.dumps(self.standard.content))["name"], "Plain")

    def test_a_reader_looks_and_others_see_nothing(self) -> None:
        self.govern()
        self.change(act="save")
        finding = NameFinding.objects.latest("pk")
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertRedirects(self.client.get(self.at("standards")), self.at("standard", self.standard.pk))
        self.assertEqual(self.client.get(self.at("findings")).status_code, 200)
        for address in (
            self.at("standards"),
            self.at("rule", self.standard.pk, "column"),
            self.at("govern", self.standard.pk),
            self.at("waive", finding.pk),
        ):
            self.assertEqual(self.client.post(address).status_code, 403)
        elsewhere = make_area("Elsewhere")
        self.client.login(username=make_person(elsewhere, Role.ADMINISTRATOR).username, password=PASSWORD)
        self.assertEqual(
            self.client.get(reverse("naming:standard", args=[elsewhere.slug, self.standard.pk])).status_code, 404
        )
        self.assertEqual(self.client.post(reverse("naming:waive", args=[elsewhere.slug, finding.pk])).status_code, 404)
        self.assertEqual(StoredStandard.objects.count(), 1)
