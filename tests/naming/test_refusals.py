"""What naming passes refuse, and say on the page; passes that are too large to wait for; wordbooks as linked data."""

from __future__ import annotations

import json
from unittest.mock import patch

from django.test import TestCase
from django.urls import reverse

from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.naming.errors import PassError
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.passes.models import NamingPass, PassWord
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.exports import as_skos, as_turtle
from indexa.naming.wordbooks.models import BookWord
from tests.factories import make_area
from tests.naming.test_passes import PassPageCase


class RefusalTests(PassPageCase):
    def word(self, short: str) -> PassWord:
        return self.made.words.get(short=short)

    def said(self, address: str) -> str:
        """What the next page says when something is posted."""
        return self.client.post(address, follow=True).content.decode()

    def test_a_word_is_left_taken_up_again_and_settled_beside_another(self) -> None:
        at = self.at("pass-word", self.word("no").pk)
        self.assertContains(self.client.post(at, {"act": "leave"}), "skipped")
        self.assertEqual(self.word("no").state, PassWord.State.LEFT)
        self.assertContains(self.client.post(at, {"act": "reopen"}), "open again")
        self.assertContains(self.client.post(at, {"act": "reopen"}), "is open", status_code=422)
        text = self.client.post(at, {"act": "apart", "word": "Number", "context_words": ["srl"]})
        self.assertContains(text, "no is Number beside srl")
        self.assertEqual(BookWord.objects.get(word="Number").context_words, ["srl"])
        self.assertContains(self.client.post(at, {"word": "x" * 300}), "Say a word of up to", status_code=422)

    def test_names_are_narrowed_to_those_that_wait_are_settled_or_written(self) -> None:
        self.settle(self.made, "mtr", "Meter")
        name = self.made.names.get(place="metering.mtr.inst_dt")
        self.client.post(self.at("pass-name", name.pk), {"after": "Day of fitting"})
        shown = {
            which: self.client.get(f"{self.at('pass-names')}?which={which}").content.decode()
            for which in ("settled", "waiting", "written")
        }
        self.assertIn("mtr_id", shown["settled"])
        self.assertIn("mtr_srl_no", shown["waiting"])
        self.assertNotIn("mtr_srl_no", shown["settled"])
        self.assertIn("Day of fitting", shown["written"])
        self.assertNotIn("mtr_srl_no", shown["written"])

    def test_what_an_ended_pass_can_not_do_is_said_on_the_page_and_changes_nothing(self) -> None:
        word, name = self.word("mtr"), self.made.names.latest("pk")
        passes.discard(area=self.area, pass_id=self.made.pk)
        before = BookWord.objects.count()
        for address in (self.at("pass-apply"), self.at("pass-certain"), self.at("pass-discard")):
            with self.subTest(address):
                self.assertIn("This pass is over", self.said(address))
        for address, given in (
            (self.at("pass-word", word.pk), {"word": "Meter"}),
            (self.at("pass-name", name.pk), {"after": "A"}),
        ):
            with self.subTest(address):
                self.assertContains(self.client.post(address, given), "This pass is over", status_code=422)
        typed = self.client.post(self.at("pass-name", name.pk), {"after": "Typed & kept"})
        self.assertContains(typed, 'value="Typed &amp; kept"', status_code=422)
        self.assertEqual(BookWord.objects.count(), before)
        with self.assertRaises(PassError):
            self.settle(self.made, "mtr", "Meter")

    def test_a_word_or_a_name_that_is_not_of_the_pass_is_refused(self) -> None:
        with self.assertRaisesMessage(PassError, "does not ask for “zzz”"):
            self.settle(self.made, "zzz", "Word")
        other = self.make(only_missing=False).names.latest("pk")
        self.made.refresh_from_db()
        self.assertEqual(self.client.get(self.at("pass-name", other.pk)).status_code, 404)

    def test_a_large_pass_is_settled_and_applied_by_jobs(self) -> None:
        self.settle(self.made, "mtr", "Meter")
        with patch.object(passes, "AT_ONCE", 1):
            for name, kind in (("pass-certain", "certain words"), ("pass-apply", "apply pass")):
                response = self.client.post(self.at(name))
                job = Job.objects.get(kind=kind)
                self.assertRedirects(response, reverse("jobs:page", args=[self.area.slug, job.pk]))
        self.assertEqual(
            settling.settle_certain_in_background(Job.objects.get(kind="certain words"), Silent()), self.at("pass")
        )
        self.assertEqual(passes.apply_in_background(Job.objects.get(kind="apply pass"), Silent()), self.at("pass"))
        self.assertEqual(NamingPass.objects.get(pk=self.made.pk).state, NamingPass.State.APPLIED)
        self.assertEqual(self.shown("mtr.mtr_id"), "Meter ID")
        for run, kind in (
            (settling.settle_certain_in_background, "certain words"),
            (passes.apply_in_background, "apply pass"),
        ):
            with self.subTest(kind), self.assertRaisesMessage(JobFailedError, "This pass is over"):
                run(Job.objects.get(kind=kind), Silent())

    def test_names_of_a_model_that_went_meanwhile_are_not_proposed(self) -> None:
        job = Job.objects.create(
            area=self.area, kind="propose names", title="Proposing", started_by=self.person, arguments={"model": 0, "kinds": ["tables"], "only_missing": True}
        )  # fmt: skip
        with self.assertRaisesMessage(JobFailedError, "removed before names could be proposed"):
            passes.propose(job, Silent())


class LinkedDataTests(TestCase):
    def test_both_forms_hold_the_same_concepts_and_nothing_escapes_its_quotes(self) -> None:
        area = make_area('Water "&" <Works>')
        book = wordbooks.own_book(area)
        given = (("Meter", ["mtr", "met"], 'Says "how\nmuch"\\'), ("Old Word", ["ow"], ""))
        for word, abbreviations, meaning in given:
            BookWord.objects.create(wordbook=book, word=word, abbreviations=abbreviations, meaning=meaning)
        BookWord.objects.filter(word="Old Word").update(status=BookWord.Status.RETIRED)
        words = BookWord.objects.filter(wordbook=book).order_by("word")
        graph = json.loads(as_skos(area, words))["@graph"]
        concepts = {one["skos:prefLabel"]["@value"]: one for one in graph[1:]}
        self.assertEqual(
            {word: concepts[word]["skos:altLabel"] for word, *_ in given},
            {word: abbreviations for word, abbreviations, _ in given},
        )
        self.assertTrue(concepts["Old Word"]["http://www.w3.org/2002/07/owl#deprecated"])
        turtle = as_turtle(area, words).decode()
        self.assertEqual(turtle.count("a skos:Concept"), 3)  # the scheme, and a concept each
        self.assertIn(r'skos:definition "Says \"how\nmuch\"\\"', turtle)
        self.assertIn(r'skos:prefLabel "Water \"&\" <Works>"', turtle)
        self.assertEqual(turtle.count("owl:deprecated true"), 1)
        self.assertNotIn("how\nmuch", turtle)
