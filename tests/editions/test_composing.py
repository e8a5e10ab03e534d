"""Composing an edition: templates, own text that follows renamed objects, what is left out by class, drafts and tables left out."""

from __future__ import annotations

import hashlib
import html
import io
import json
from typing import Any
from urllib.parse import urlencode

from django.urls import reverse
from docx import Document
from pypdf import PdfReader

from indexa.adapters.documents import FORMS
from indexa.areas.models import Role
from indexa.core.edition.book import book_of
from indexa.describing import saying
from indexa.describing.saying import Subject
from indexa.editions import composing
from indexa.editions.building import build_edition, imprint_of, thawed
from indexa.editions.files import bytes_of, content_of
from indexa.editions.models import Edition, EditionTemplate
from indexa.editions.services import EditionError
from indexa.glossary import services as glossary
from indexa.glossary.models import Term
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.reconcile import comparing, scripts
from indexa.reconcile.other_sides import other_side
from indexa.store.models import StoredTable
from tests.describing.test_saying import DescribingCase
from tests.factories import PASSWORD, column, make_area, make_person, make_source, table


class ComposingTests(DescribingCase):
    def new(self, **given: Any) -> Any:
        boxes = dict.fromkeys(
            (
                "views",
                "technical",
                "comments",
                "undescribed",
                "diagrams",
                "stewardship",
                "glossary",
                "codes",
                "tables",
                "drafts",
                "coverage",
            ),
            "on",
        )
        sent = {"title": "Meters", "models": [self.model.pk], "paper": "us-letter", **boxes} | given
        address = reverse("editions:new", args=[self.area.slug])
        return self.client.post(address, {name: value for name, value in sent.items() if value is not None})

    def made(self, **given: Any) -> dict[str, str]:
        answer = self.new(**given)
        self.assertEqual(answer.status_code, 302, answer.context and answer.context["form"].errors)
        build_edition(Job.objects.filter(kind="edition").latest("pk"), Silent())
        edition = Edition.objects.latest("pk")
        return {
            file.path: content_of(file).decode()
            for file in edition.files.select_related("stored")
            if file.path.endswith("html")
        }

    def test_own_text_names_objects_that_are_renamed_later(self) -> None:
        pages = self.made(text="Read this.\n\n# Meters\n\nSee [[metering.mtr]] and [[metering.mtr.mtr_srl_no]].")
        self.assertIn("<h2>Preface</h2>", pages["index.html"])
        self.assertIn('<a href="tables/billing-metering-mtr.html#c2"', pages["index.html"])
        kept = Edition.objects.get().content["text"]
        StoredTable.objects.filter(pk=table(self.model, "mtr").pk).update(name="meter")
        self.assertIn("[[metering.meter]] and [[metering.meter.mtr_srl_no]]", composing.shown_names(kept))
        self.assertContains(
            self.new(text="[[metering.nowhere]]"), "is the name of no table or column here", status_code=422
        )
        self.assertContains(self.new(text="x" * 70_000), "at most 60000", status_code=422)

    def test_what_is_classified_above_a_threshold_is_nowhere_in_it(self) -> None:
        private = self.aspect("Personal data")
        words = dict(composing.thresholds(self.area))
        above = next(value for value, label in words.items() if label == "Personal data above Indirect")
        for target, object_id in (
            ("column", column(self.model, "mtr.mtr_srl_no").pk),
            ("table", table(self.model, "mtr_rdg").pk),
        ):
            subject = Subject(target, object_id)
            saying.say(area=self.area, person=self.person, subject=subject, aspect=private, given="Direct")
        pages = self.made(above=above)
        whole = "".join(pages.values())
        self.assertNotIn("mtr_srl_no", whole)
        self.assertNotIn("mtr_rdg", whole)
        self.assertIn("inst_dt", whole)
        self.assertIn("Left out: Personal data above Indirect.", pages["index.html"])
        frozen = Edition.objects.latest("pk").frozen
        assert frozen is not None
        self.assertEqual(self.new(above="9999:1").status_code, 422)
        self.assertNotIn("mtr_srl_no", bytes_of(frozen.pk).decode())
        self.assertNotIn("mtr_rdg", bytes_of(frozen.pk).decode())

    def test_only_the_schemas_that_are_named_go_in_and_what_is_said_is_counted(self) -> None:
        saying.say(
            area=self.area, person=self.person, subject=Subject("column", column(self.model, "mtr.mtr_srl_no").pk),
            aspect=self.aspect("Personal data"), given="Direct",
        )  # fmt: skip
        pages = self.made(schemas="metering", audience="Auditors")
        self.assertIn("tables/billing-metering-mtr.html", pages)
        self.assertFalse([path for path in pages if path.startswith("tables/") and "-metering-" not in path])
        index = pages["index.html"]
        self.assertIn("<dd>Auditors</dd>", index)
        self.assertIn('<th scope="col" class="num">Personal data</th>', index)
        markup = json.loads(index.partition('<script type="application/ld+json">')[2].partition("</script>")[0])
        self.assertEqual((markup["@type"], markup["audience"]["audienceType"]), ("Dataset", "Auditors"))
        self.assertContains(self.new(schemas="metering, nowhere"), "has a schema nowhere", status_code=422)

    def test_a_change_script_is_held_with_its_steps_and_rehearsal(self) -> None:
        source = make_source(self.area, "empty", name="empty")
        source.inventory = []
        source.save()
        other = other_side(self.area, self.model, f"source {source.pk}")
        made = comparing.start(area=self.area, person=self.person, model=self.model, other=other)
        made.differences.update(decision="keep")
        script = scripts.write(made=made, person=self.person, allow_drops=False)
        script.rehearsal = {
            "way": "server", "failed": None, "left": [], "rows_kept": 9, "rows_there": 10, "revert_error": "", "revert_left": [],
        }  # fmt: skip
        script.save()
        offered = self.client.get(f"{reverse('editions:new', args=[self.area.slug])}?script={script.pk}")
        self.assertEqual(offered.context["template"].name, "Review of a change")
        pages = self.made(scripts=[script.pk], text="")
        held = pages["scripts.html"]
        self.assertIn("9 of 10 made-up rows kept", held)
        self.assertIn(script.checksum, held)
        self.assertIn(script.as_core.steps[0].what, html.unescape(held))
        edition = Edition.objects.latest("pk")
        kept = edition.files.select_related("stored").get(path="scripts/change-1.sql")
        self.assertEqual(hashlib.sha256(content_of(kept)).hexdigest(), script.checksum)
        book = book_of(thawed(edition), imprint_of(edition))
        words = "\n".join(one.text for one in Document(io.BytesIO(FORMS["docx"].make(book, []))).paragraphs)
        self.assertIn(script.as_core.steps[0].what, words)
        self.assertEqual(Document(io.BytesIO(FORMS["docx"].make(book, []))).sections[0].page_height.mm, 279.4)
        text = "\n".join(one.extract_text() for one in PdfReader(io.BytesIO(FORMS["pdf"].make(book, []))).pages)
        self.assertIn("Rehearsal", text)
        self.assertEqual(self.new(scripts=["999999"]).status_code, 422)

    def test_drafts_and_tables_are_left_out(self) -> None:
        for name, state in (("Kept", "proposed"), ("Unripe", "draft")):
            given = {"name": name, "definition": f"{name}.", "state": state}
            glossary.save(area=self.area, person=self.person, kind=Term, item=None, given=given)
        pages = self.made(drafts=None, tables=None)
        self.assertEqual(set(pages), {"index.html", "dictionary.html", "glossary.html"})
        self.assertIn("Kept", pages["glossary.html"])
        self.assertNotIn("Unripe", pages["glossary.html"])

    def test_choices_are_kept_as_a_template_and_offered_again(self) -> None:
        address = reverse("editions:new", args=[self.area.slug])
        self.assertContains(self.client.get(address), "One-page overview")
        self.new(text="# Note\n\nSee [[metering.mtr]].", technical=None, template_name_to_keep=" Ours ")
        ours = EditionTemplate.objects.get(area=self.area, name="Ours")
        page = self.client.get(f"{address}?{urlencode({'template': ours.pk})}")
        self.assertEqual(
            (page.context["form"]["technical"].value(), "[[metering.mtr]]" in page.content.decode()), (False, True)
        )
        self.client.post(reverse("editions:template-remove", args=[self.area.slug, ours.pk]))
        self.assertFalse(EditionTemplate.objects.filter(name="Ours").exists())
        other = make_area("Elsewhere")
        theirs = composing.templates(other)[0]
        self.assertEqual(
            self.client.post(reverse("editions:template-remove", args=[self.area.slug, theirs.pk])).status_code, 404
        )
        with self.assertRaises(EditionError):
            composing.save_template(area=self.area, name=" ", purpose="", choices={})
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.client.get(address).status_code, 403)
