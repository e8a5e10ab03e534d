"""Composing an edition: templates, own text that follows renamed objects, what is left out by class, drafts and tables left out."""

from __future__ import annotations

import hashlib
import html
import io
import json
from importlib.resources import files
from typing import Any
from urllib.parse import urlencode

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from django.utils import timezone
from docx import Document
from pypdf import PdfReader

from indexa.adapters.documents import FORMS
from indexa.areas.models import Role
from indexa.core.edition.book import book_of
from indexa.core.edition.sheets import sheets_of
from indexa.describing import saying
from indexa.describing.models import Aspect
from indexa.describing.saying import Subject
from indexa.diagrams.models import Diagram, DiagramCard, DiagramNote
from indexa.dictionary.models import SavedView
from indexa.editions import composing
from indexa.editions.building import build_edition, imprint_of, thawed
from indexa.editions.choices import Choices
from indexa.editions.files import bytes_of, content_of
from indexa.editions.models import CoverLogo, Edition, EditionTemplate
from indexa.editions.services import EditionError
from indexa.glossary import services as glossary
from indexa.glossary.models import Rule, Term
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling import editing
from indexa.naming.standards.models import NameFinding, Waiver
from indexa.reconcile import comparing, scripts
from indexa.reconcile.other_sides import other_side
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from tests.describing.test_saying import DescribingCase
from tests.factories import PASSWORD, column, make_area, make_model, make_person, make_source, store, table


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
            composing.save_template(area=self.area, name=" ", purpose="", choices=Choices())
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.client.get(address).status_code, 403)

    def test_models_stand_in_the_order_in_which_they_are_sent(self) -> None:
        other = store(self.area, make_model("accounts"))
        for order in ([self.model.pk, other.pk], [other.pk, self.model.pk]):
            index = self.made(models=order)["index.html"]
            places = [index.index(f'id="model-{number}">{name}<') for number, name in enumerate(self.names(order), 1)]
            self.assertEqual(places, sorted(places))
            self.assertEqual(Edition.objects.latest("pk").content["models"], order)
            edition = Edition.objects.latest("pk")
            page = self.client.get(reverse("editions:choices", args=[self.area.slug, edition.pk]))
            self.assertEqual(
                [one[0] for one in page.context["form"]["models"].field.choices][:2], list(map(str, order))
            )

    def names(self, order: list[int]) -> list[str]:
        found = StoredModel.objects.in_bulk(order)
        return [found[pk].name for pk in order]

    def test_private_definitions_do_not_leave_the_area(self) -> None:
        private = Aspect.objects.create(
            area=self.area, kind="field", name="Private", type="yes or no", applies=["table", "column"], inherited=False
        )
        for name, text in (("mtr_srl_no", "Stamped by the maker."), ("inst_dt", "Day it was set.")):
            place = editing.place_of(column(self.model, f"mtr.{name}"), only_here=True)
            editing.edit(area=self.area, person=self.person, place=place, field="definition", seen="", value=text)
        subject = Subject("column", column(self.model, "mtr.mtr_srl_no").pk)
        saying.say(area=self.area, person=self.person, subject=subject, aspect=private, given="yes")
        pages = self.made(private=private.pk)
        page = pages["tables/billing-metering-mtr.html"]
        self.assertIn("mtr_srl_no", page)
        self.assertIn("Day it was set.", page)
        frozen = bytes_of(Edition.objects.latest("pk").frozen_id or "").decode()
        for told in (frozen, page):
            self.assertNotIn("Stamped", told)
            self.assertNotIn("as stamped", told)
        self.assertIn("Definitions are left out where Private is yes.", pages["index.html"])

    def test_only_the_tables_of_a_saved_view_go_in(self) -> None:
        view = SavedView.objects.create(area=self.area, person=self.person, name="Readings", address="q=rdg_val")
        pages = self.made(view=view.pk)
        self.assertEqual(
            [path for path in pages if path.startswith("tables/")], ["tables/billing-metering-mtr-rdg.html"]
        )
        elsewhere = SavedView.objects.create(area=make_area("Elsewhere"), person=self.person, name="x", address="q=mtr")
        self.assertEqual(self.new(view=elsewhere.pk).status_code, 422)

    def test_diagrams_of_groups_and_of_each_table_link_to_pages_and_are_in_the_documents(self) -> None:
        pages = self.made(neighbourhoods="on", surroundings="on")
        meter = pages["tables/billing-metering-mtr.html"]
        self.assertIn("Diagram: Around metering.mtr.", meter)
        self.assertIn(
            'href="../tables/billing-metering-mtr-rdg.html"', meter.partition("<figure")[2].partition("</figure>")[0]
        )
        self.assertNotIn("<figure", pages["tables/billing-metering-v-mtr.html"])
        self.assertEqual(len([path for path in pages if path.startswith("diagrams/")]), 1)
        edition = Edition.objects.latest("pk")
        book = book_of(thawed(edition), imprint_of(edition))
        captions = [
            one.text
            for one in Document(io.BytesIO(FORMS["docx"].make(book, []))).paragraphs
            if one.style.name == "Caption"
        ]
        self.assertEqual(
            [text.partition(": ")[2] for text in captions][1:], ["Around metering.mtr", "Around metering.mtr_rdg"]
        )
        text = "\n".join(one.extract_text() for one in PdfReader(io.BytesIO(FORMS["pdf"].make(book, []))).pages)
        self.assertIn("Figure\N{NO-BREAK SPACE}3: Around metering.mtr_rdg", text)

    def test_naming_findings_go_in_without_those_that_are_waived_or_left_out(self) -> None:
        for place, severity in (
            ("metering.mtr.inst_dt", "note"),
            ("metering.mtr.mtr_srl_no", "error"),
            ("metering.mtr_rdg", "note"),
        ):
            NameFinding.objects.create(
                model=self.model, rule="unknown word", severity=severity, kind="column", place=place, name=place.rpartition(".")[2],
                table_name="mtr", why=f"`{place.rpartition('_')[2]}` is no word.", fingerprint=place,
            )  # fmt: skip
        Waiver.objects.create(model=self.model, fingerprint="metering.mtr_rdg", reason="Old.", by=self.person)
        pages = self.made(findings="on")
        self.assertLess(pages["names.html"].index("mtr_srl_no"), pages["names.html"].index("inst_dt"))
        self.assertNotIn("<code>metering.mtr_rdg</code>", pages["names.html"])
        edition = Edition.objects.latest("pk")
        sheets = {one.name: one.rows for one in sheets_of(book_of(thawed(edition), imprint_of(edition)), [])}
        self.assertEqual(
            [row[1] for row in sheets["Naming findings"]], ["metering.mtr.mtr_srl_no", "metering.mtr.inst_dt"]
        )
        self.keep_back("mtr.mtr_srl_no")
        self.assertNotIn("srl_no", self.made(findings="on", above=self.above())["names.html"])

    def keep_back(self, name: str) -> None:
        """Classify a column above what goes in."""
        subject = Subject("column", column(self.model, name).pk)
        saying.say(
            area=self.area, person=self.person, subject=subject, aspect=self.aspect("Personal data"), given="Direct"
        )

    def above(self) -> str:
        words = composing.thresholds(self.area)
        return next(value for value, label in words if label == "Personal data above Indirect")

    def test_what_is_left_out_is_named_by_no_text_note_rule_or_script(self) -> None:
        self.keep_back("mtr.mtr_srl_no")
        serial = column(self.model, "mtr.mtr_srl_no")
        diagram = Diagram.objects.create(model=self.model, name="Meters")
        DiagramCard.objects.create(diagram=diagram, table=table(self.model, "mtr"), x=0, y=0)
        for text in ("See mtr_srl_no first.", "Set on a day."):
            DiagramNote.objects.create(diagram=diagram, kind="note", text=text, x=0, y=0, width=90, height=40)
        for name, target in (("Stamp rule", serial), ("Day rule", column(self.model, "mtr.inst_dt"))):
            rule = glossary.save(
                area=self.area, person=self.person, kind=Rule, item=None, given={"name": name, "definition": "So."}
            )
            glossary.govern(area=self.area, person=self.person, rule=rule, target="column", object_id=target.pk)
        text = "# Read\n\nBegin with [[metering.mtr.mtr_srl_no]] or [[metering.mtr.inst_dt]]."
        pages = self.made(above=self.above(), text=text)
        whole = "".join(pages.values()) + bytes_of(Edition.objects.latest("pk").frozen_id or "").decode()
        self.assertNotIn("mtr_srl_no", whole)
        self.assertNotIn("Stamp rule", whole)
        for told in ("Set on a day.", "Day rule", "<em>(left out)</em>", "metering.mtr.inst_dt"):
            self.assertIn(told, whole)
        source = make_source(self.area, "empty", name="empty")
        source.inventory = []
        source.save()
        made = comparing.start(
            area=self.area, person=self.person, model=self.model, other=other_side(self.area, self.model, f"source {source.pk}")
        )  # fmt: skip
        made.differences.update(decision="keep")
        script = scripts.write(made=made, person=self.person, allow_drops=False)
        with self.assertRaisesMessage(JobFailedError, "names what is left out for its class"):
            self.made(above=self.above(), scripts=[script.pk])

    def test_what_texts_name_all_the_same_is_told_to_those_who_prepare_and_sign(self) -> None:
        self.keep_back("mtr.mtr_srl_no")
        told = column(self.model, "mtr.inst_dt")
        StoredColumn.objects.filter(pk=told.pk).update(definition="Stamped beside the mtr_srl_no.")
        self.made(above=self.above(), note="Meters")
        edition = Edition.objects.latest("pk")
        page = self.client.get(reverse("editions:page", args=[self.area.slug, edition.pk]))
        self.assertContains(page, "text names what is")
        self.assertContains(page, f"?column={told.pk}")
        self.assertNotIn("mtr_srl_no", self.client.get(reverse("editions:record", args=[self.area.slug, edition.pk])).content.decode())  # fmt: skip
        self.made(note="Meters")
        page = self.client.get(reverse("editions:page", args=[self.area.slug, Edition.objects.latest("pk").pk]))
        self.assertNotContains(page, "left out for its class")

    def test_what_is_left_out_now_is_not_named_as_removed(self) -> None:
        self.made()
        first = Edition.objects.latest("pk")
        Edition.objects.filter(pk=first.pk).update(state="published", number=1)
        self.keep_back("mtr_rdg.mtr_id")
        StoredTable.objects.filter(pk=table(self.model, "v_mtr").pk).update(removed_at=timezone.now())
        pages = self.made(above=self.above())
        self.assertIn("metering.v_mtr", pages["changes.html"])
        self.assertNotIn("mtr_rdg.mtr_id", pages["changes.html"])
        self.assertNotIn("mtr_id →", pages["changes.html"])
        self.assertEqual(Edition.objects.latest("pk").withheld, ["metering.mtr_rdg.mtr_id"])

    def test_a_draft_is_changed_with_its_pages_beside_and_made_again(self) -> None:
        self.made(title="Meters")
        edition = Edition.objects.get()
        address = reverse("editions:choices", args=[self.area.slug, edition.pk])
        self.assertContains(self.client.get(address), 'class="preview"')
        sent = {
            "title": "Meters, again",
            "models": [self.model.pk],
            "paper": "a4",
            "tables": "on",
            "foot": "For us only",
        }
        self.assertEqual(self.client.post(address, sent | {"schemas": "nowhere"}).status_code, 422)
        self.assertEqual(self.client.post(address, sent).status_code, 302)
        edition.refresh_from_db()
        self.assertEqual(edition.state, Edition.State.BUILDING)
        self.assertRedirects(
            self.client.post(address, sent), reverse("editions:page", args=[self.area.slug, edition.pk])
        )
        Job.objects.filter(pk=edition.job_id).update(state="failed")
        self.client.get(reverse("editions:page", args=[self.area.slug, edition.pk]))
        edition.refresh_from_db()
        self.assertEqual(edition.state, Edition.State.DRAFT)
        self.client.post(address, sent)
        build_edition(Job.objects.filter(kind="edition").latest("pk"), Silent())
        edition.refresh_from_db()
        self.assertEqual((edition.title, edition.state, Edition.objects.count()), ("Meters, again", "draft", 1))
        kept = edition.files.select_related("stored").get(path="index.html")
        self.assertIn("<br />For us only", content_of(kept).decode())
        Edition.objects.update(state="review")
        self.assertRedirects(self.client.get(address), reverse("editions:page", args=[self.area.slug, edition.pk]))

    def test_a_logo_is_taken_only_as_a_picture_and_is_on_the_cover(self) -> None:
        address = reverse("editions:logo", args=[self.area.slug])
        picture = (files("indexa.demo") / "tarnbeck.png").read_bytes()
        self.assertEqual(self.client.post(address, {"logo": io.BytesIO(picture)}).status_code, 403)
        self.client.login(username=self.administrator.username, password=PASSWORD)
        for wrong, told in (
            (b"<svg onload='alert(1)'/>", "no picture"), (picture[:30], "no picture"), (b"\x89PNG" * 200_000, "512 KB are kept"), (None, "Choose a picture"),
            (picture[:200] + bytes(100) + picture[300:], "damaged"), (picture[:16] + (9_999).to_bytes(4) + picture[20:], "each side has"),
        ):  # fmt: skip
            sent = {} if wrong is None else {"logo": SimpleUploadedFile("logo.png", wrong)}
            self.assertContains(self.client.post(address, sent, follow=True), told)
        self.client.post(address, {"logo": SimpleUploadedFile("logo.png", picture)})
        self.assertIn('src="assets/logo.png"', self.made(logo="on")["index.html"])
        edition = Edition.objects.latest("pk")
        self.assertEqual(content_of(edition.files.select_related("stored").get(path="assets/logo.png")), picture)
        book = book_of(thawed(edition), imprint_of(edition))
        self.assertEqual(len(Document(io.BytesIO(FORMS["docx"].make(book, []))).inline_shapes), 1)
        self.assertEqual(len(PdfReader(io.BytesIO(FORMS["pdf"].make(book, []))).pages[0].images), 1)
        self.client.post(address, {"delete": "1"})
        self.assertFalse(CoverLogo.objects.exists())
