"""Editions: a draft is what will be published, a published one never changes, a reading link ends when revoked."""

from __future__ import annotations

import io
import re
import zipfile
from datetime import timedelta

from django.db import transaction
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone
from docx import Document
from openpyxl import load_workbook
from pypdf import PdfReader

from indexa.adapters.documents import FORMS
from indexa.areas.models import Role
from indexa.core.edition.book import book_of
from indexa.core.edition.parts import Contents
from indexa.editions import public, services
from indexa.editions.building import build_edition, imprint_of, publish_edition, thawed
from indexa.editions.choices import Choices
from indexa.editions.files import content_of
from indexa.editions.models import Approval, Edition, EditionContent, ReadingLink, SigningRule
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling import editing
from indexa.reviewing.models import Notice
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store


class Ended(Silent):
    """Progress that ends the work after some reports, as a worker does that is killed."""

    def __init__(self, steps: int) -> None:
        self.steps = steps

    def report(self, step: str, done: int = 0, total: int = 0) -> None:
        """Count down."""
        self.steps -= 1
        if self.steps < 0:
            raise KeyboardInterrupt


class EditionTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.people = {role: make_person(self.area, role) for role in Role}
        self.stored = store(self.area, make_model())
        self.define("Day the meter was set.")
        self.edition = self.draft()

    def define(self, text: str, seen: str = "") -> None:
        place = editing.place_of(column(self.stored, "mtr.inst_dt"), only_here=False)
        editing.edit(
            area=self.area, person=self.people[Role.STEWARD], place=place, field="definition", seen=seen, value=text
        )

    def draft(self) -> Edition:
        edition, job = services.prepare(
            area=self.area, person=self.people[Role.STEWARD], title="Meters & more", note="First.",
            choices=Choices(models=[self.stored.pk], contents=Contents(views=False)),
        )  # fmt: skip
        build_edition(job, Silent())
        edition.refresh_from_db()
        return edition

    def sign_in(self, role: Role) -> None:
        self.client.login(username=self.people[role].username, password=PASSWORD)

    def address(self, name: str, *args: object) -> str:
        return reverse(f"editions:{name}", args=[self.area.slug, self.edition.pk, *args])

    def page(self) -> str:
        return self.client.get(self.address("read-file", "tables/billing-metering-mtr.html")).content.decode()

    def sign(self, edition: Edition) -> None:
        """Have an edition signed off."""
        signer = self.people[Role.ADMINISTRATOR]
        services.ask(edition_id=edition.pk, area=self.area, person=self.people[Role.STEWARD], people=[signer.pk])
        services.decide(edition_id=edition.pk, area=self.area, person=signer, approve=True)

    def publish(self, edition: Edition | None = None) -> Edition:
        """Have an edition signed and published, and its forms made."""
        edition = edition or self.edition
        self.sign(edition)
        job = services.publish(edition_id=edition.pk, area=self.area, person=self.people[Role.APPROVER])
        publish_edition(job, Silent())
        edition.refresh_from_db()
        return edition

    def test_only_an_approver_publishes_what_was_signed_and_numbers_go_up(self) -> None:
        self.assertEqual((self.edition.state, self.edition.number), (Edition.State.DRAFT, None))
        self.sign_in(Role.STEWARD)
        self.assertEqual(self.client.post(self.address("publish")).status_code, 403)
        self.sign_in(Role.APPROVER)
        self.assertContains(
            self.client.post(self.address("publish"), follow=True), "Only an edition that was signed off"
        )
        self.publish()
        self.assertEqual((self.edition.number, self.edition.published_by), (1, self.people[Role.APPROVER]))
        second = self.publish(self.draft())
        self.assertEqual((second.number, second.follows), (2, self.edition))
        self.edition.refresh_from_db()
        self.assertEqual(self.edition.state, Edition.State.SUPERSEDED)

    def test_people_are_asked_by_name_and_sign_exactly_what_is_published(self) -> None:
        steward, approver, administrator = (
            self.people[role] for role in (Role.STEWARD, Role.APPROVER, Role.ADMINISTRATOR)
        )
        SigningRule.objects.create(area=self.area, approvals=2)
        self.sign_in(Role.STEWARD)
        for people in ([], [approver.pk], [approver.pk, steward.pk]):
            self.assertContains(
                self.client.post(self.address("ask"), {"people": people}, follow=True), "Choose at least 2"
            )
        self.client.post(self.address("ask"), {"people": [approver.pk, administrator.pk]})
        self.assertContains(self.client.get(self.address("page")), "It is being reviewed")
        self.assertEqual(Notice.objects.filter(person=approver).count(), 1)
        self.assertEqual(self.client.post(self.address("decide"), {"act": "approve"}).status_code, 403)
        with self.assertRaisesMessage(JobFailedError, "does not change"):
            build_edition(Job(area=self.area, arguments={"edition": self.edition.pk}), Silent())
        self.sign_in(Role.APPROVER)
        self.assertContains(self.client.post(self.address("decide"), {"act": "return"}, follow=True), "Say why")
        self.client.post(self.address("decide"), {"act": "return", "note": "Meters lack owners."})
        self.edition.refresh_from_db()
        self.assertEqual(self.edition.state, Edition.State.DRAFT)
        services.ask(edition_id=self.edition.pk, area=self.area, person=steward, people=[approver.pk, administrator.pk])
        for role in (Role.APPROVER, Role.ADMINISTRATOR):
            self.sign_in(role)
            self.client.post(self.address("decide"), {"act": "approve", "note": "Read."})
        self.edition.refresh_from_db()
        self.assertEqual(self.edition.state, Edition.State.SIGNED)
        Approval.objects.filter(person=approver).update(digest="0" * 64)
        with self.assertRaisesMessage(services.EditionError, "not what would be published"):
            services.publish(edition_id=self.edition.pk, area=self.area, person=approver)
        Approval.objects.update(digest=self.edition.frozen_id)
        publish_edition(services.publish(edition_id=self.edition.pk, area=self.area, person=approver), Silent())
        index = self.client.get(self.address("read")).content.decode()
        for text in ("Edition 1", administrator.display_name, str(self.edition.frozen_id)):
            self.assertIn(text, index)
        record = self.client.get(self.address("record")).json()
        self.assertEqual([one["state"] for one in record["sign-offs"]], ["approved", "approved"])
        self.assertEqual(len(record["files"]), self.edition.files.count())

    def test_no_signatures_are_asked_for_where_an_administrator_says_so(self) -> None:
        signing = reverse("editions:signing", args=[self.area.slug])
        self.sign_in(Role.APPROVER)
        self.assertEqual(self.client.post(signing, {"approvals": "0"}).status_code, 403)
        self.sign_in(Role.ADMINISTRATOR)
        self.client.post(signing, {"approvals": "0"})
        self.assertEqual(
            services.publish(edition_id=self.edition.pk, area=self.area, person=self.people[Role.APPROVER]).kind,
            "publish edition",
        )

    def test_what_changed_is_told_and_what_did_not_is_kept_once(self) -> None:
        first = self.publish()
        before = EditionContent.objects.count()
        place = editing.place_of(column(self.stored, "mtr.mtr_srl_no"), only_here=False)
        editing.edit(
            area=self.area, person=self.people[Role.STEWARD], place=place, field="definition", seen="", value="Number."
        )
        second = self.publish(self.draft())
        changes = self.client_page(second, "changes.html")
        self.assertIn("billing/metering.mtr.mtr_srl_no", changes)
        self.assertEqual(changes.count("<tr>"), 2)
        marks = self.client_page(second, "assets/edition.js")
        self.assertIn('"tables/billing-metering-mtr.html":{"mtr_srl_no":"changed"}', marks)
        self.assertIn('"edition":"Edition 2"', marks)
        same = set(first.files.values_list("path", "stored_id")) & set(second.files.values_list("path", "stored_id"))
        self.assertIn("tables/billing-metering-mtr-rdg.html", {path for path, _ in same})
        self.assertLess(EditionContent.objects.count(), before + 25)
        self.assertContains(self.client.get(self.address("differences"), {"since": 2}), "mtr_srl_no")

    def client_page(self, edition: Edition, path: str) -> str:
        self.sign_in(Role.READER)
        return self.client.get(reverse("editions:read-file", args=[self.area.slug, edition.pk, path])).content.decode()

    def test_every_document_is_made_and_tells_the_edition_and_its_columns(self) -> None:
        edition = self.publish()
        contents = {file.path: content_of(file) for file in edition.files.select_related("stored")}
        pdf = PdfReader(io.BytesIO(contents["documents/edition.pdf"]))
        text = "\n".join(page.extract_text() for page in pdf.pages)
        for wanted in ("Meters & more", "Edition 1", "signed off by", "mtr_srl_no", "Day the meter was set."):
            self.assertIn(wanted, text)
        self.assertIn("/StructTreeRoot", pdf.trailer["/Root"])
        self.assertIn("'/Title': 'metering'", str(pdf.outline))
        word = Document(io.BytesIO(contents["documents/edition.docx"]))
        heads = [one.text for one in word.paragraphs if one.style.name == "Heading 3"]
        self.assertEqual(heads, ["metering.mtr", "metering.mtr_rdg"])
        cells = [cell.text for row in word.tables[1].rows for cell in row.cells]
        self.assertIn("Day the meter was set.", cells)
        self.assertIn(b"Day the meter was set.", contents["documents/edition.md"])
        with zipfile.ZipFile(io.BytesIO(contents["documents/edition-csv.zip"])) as archive:
            self.assertEqual(archive.namelist(), ["columns.csv", "relationships.csv"])
            self.assertIn(b"metering.mtr_rdg,mtr_id,metering.mtr,mtr_id", archive.read("relationships.csv"))
        workbook = load_workbook(io.BytesIO(contents["documents/edition.xlsx"]))
        self.assertEqual(workbook.sheetnames, ["Summary", "Tables", "Dictionary", "Relationships", "Key roles"])
        self.assertEqual(workbook["Dictionary"].max_row - 3, 6)
        with zipfile.ZipFile(io.BytesIO(contents["documents/edition-markdown.zip"])) as archive:
            reading = archive.read("tables/billing-metering-mtr-rdg.md").decode()
            self.assertIn("- `mtr_id`: [`metering.mtr`](billing-metering-mtr.md), declared in the database", reading)
            self.assertIn("(tables/billing-metering-mtr-rdg.md)", archive.read("README.md").decode())

    def test_a_large_edition_is_several_volumes(self) -> None:
        edition = self.publish()
        book = book_of(thawed(edition), imprint_of(edition))
        for name, text_of in (
            ("pdf", lambda content: "".join(page.extract_text() for page in PdfReader(io.BytesIO(content)).pages)),
            ("docx", lambda content: "".join(one.text for one in Document(io.BytesIO(content)).paragraphs)),
        ):
            files = dict(FORMS[name]._replace(most_tables=1).files(book, []))
            self.assertEqual(list(files), [f"edition.{name}", f"edition-2.{name}"])
            first, second = (text_of(content) for content in files.values())
            self.assertIn("Volume 2: metering.mtr_rdg to metering.mtr_rdg", first)
            self.assertIn("Volume 2 of 2", second)
            self.assertNotIn("How far it is described", second)

    def test_publication_that_ends_anywhere_publishes_nothing_and_is_done_again(self) -> None:
        self.sign(self.edition)
        for steps in (0, 2, 5, 8):
            with self.subTest(steps):
                job = services.publish(edition_id=self.edition.pk, area=self.area, person=self.people[Role.APPROVER])
                before = list(self.edition.files.values_list("path", "stored"))
                with self.assertRaises(KeyboardInterrupt), transaction.atomic():
                    publish_edition(job, Ended(steps))
                Job.objects.filter(pk=job.pk).update(state=Job.State.FAILED)
                self.assertEqual(list(self.edition.files.values_list("path", "stored")), before)
                self.sign_in(Role.APPROVER)
                page = self.client.get(self.address("page"))
                self.assertContains(page, "nothing was published")
                self.assertContains(page, "Publish this edition")
        job = services.publish(edition_id=self.edition.pk, area=self.area, person=self.people[Role.APPROVER])
        publish_edition(job, Silent())
        self.edition.refresh_from_db()
        self.assertEqual((self.edition.state, self.edition.number), (Edition.State.PUBLISHED, 1))

    def test_one_that_is_withdrawn_says_why_and_ends_its_links(self) -> None:
        edition = self.publish()
        token = services.share(edition=edition, person=self.people[Role.STEWARD], label="x", days=1)
        link = reverse("reading-link", args=[token])
        self.assertEqual(self.client.get(link).status_code, 200)
        self.assertEqual(ReadingLink.objects.get().opened, 1)
        ReadingLink.objects.update(ends_at=timezone.now() - timedelta(minutes=1))
        self.assertEqual(self.client.get(link).status_code, 410)
        ReadingLink.objects.update(ends_at=None)
        self.sign_in(Role.STEWARD)
        self.assertEqual(self.client.post(self.address("withdraw"), {"reason": "x"}).status_code, 403)
        self.sign_in(Role.APPROVER)
        self.assertContains(self.client.post(self.address("withdraw"), {"reason": " "}, follow=True), "Say why")
        self.assertContains(
            self.client.post(self.address("withdraw"), {"reason": "Wrong names."}, follow=True), "Wrong names."
        )
        self.client.logout()
        self.assertEqual(self.client.get(link).status_code, 410)

    def test_a_published_edition_never_changes(self) -> None:
        self.publish()
        self.sign_in(Role.STEWARD)
        before = self.page()
        self.assertIn("Day the meter was set.", before)
        self.define("Something else.", seen="Day the meter was set.")
        self.assertEqual(self.page(), before)
        with self.assertRaisesMessage(JobFailedError, "does not change"):
            build_edition(Job(area=self.area, arguments={"edition": self.edition.pk}), Silent())
        self.client.post(self.address("discard"))
        self.assertTrue(Edition.objects.filter(pk=self.edition.pk).exists())

    def test_a_draft_can_be_thrown_away_and_not_be_shared(self) -> None:
        with self.assertRaises(services.EditionError):
            services.share(edition=self.edition, person=self.people[Role.STEWARD], label="x")
        self.sign_in(Role.STEWARD)
        self.client.post(self.address("discard"))
        self.assertFalse(Edition.objects.exists())

    def test_a_reading_link_opens_without_an_account_until_it_is_revoked(self) -> None:
        self.publish()
        self.sign_in(Role.STEWARD)
        answer = self.client.post(self.address("share"), {"label": "Auditors"})
        self.assertEqual(answer.headers["Cache-Control"], "no-store")
        shown = answer.content.decode()
        found = re.search(r"http://testserver(/read/[^<]+/)", shown)
        assert found
        link = found.group(1)
        self.assertNotIn(link, self.client.get(self.address("page")).content.decode())
        token = link.strip("/").rpartition("/")[2]
        self.assertNotIn(token, ReadingLink.objects.get().token_hash)
        self.assertNotIn(token, str(dict(self.client.session)))
        self.client.logout()
        answer = self.client.get(link)
        self.assertContains(answer, "Meters &amp; more")
        self.assertEqual(answer.headers["Referrer-Policy"], "no-referrer")
        self.assertEqual(
            self.client.get(link + "assets/data.js").headers["Content-Type"], "text/javascript; charset=utf-8"
        )
        self.assertEqual(self.client.get(link + "../../../etc/passwd").status_code, 404)
        self.assertEqual(self.client.get("/read/wrong/").status_code, 404)
        self.sign_in(Role.STEWARD)
        self.client.post(self.address("revoke", ReadingLink.objects.get().pk))
        self.client.logout()
        self.assertContains(self.client.get(link), "This reading link was revoked", status_code=410)

    def test_a_passphrase_is_asked_for_and_not_tried_for_ever(self) -> None:
        edition = self.publish()
        token = services.share(edition=edition, person=self.people[Role.STEWARD], label="x", passphrase="eight or more")
        self.assertNotIn("eight or more", ReadingLink.objects.get().passphrase)
        link = reverse("reading-link", args=[token])
        self.assertContains(self.client.get(link), "opens with a passphrase")
        self.assertNotContains(self.client.get(link + "tables/billing-metering-mtr.html"), "mtr_srl_no")
        for _ in range(public.MOST_TRIES):
            self.assertEqual(self.client.post(link, {"passphrase": "wrong"}).status_code, 401)
        self.assertEqual(self.client.post(link, {"passphrase": "eight or more"}).status_code, 429)
        ReadingLink.objects.update(wrong_at=timezone.now() - public.WAIT - timedelta(seconds=1))
        self.assertRedirects(self.client.post(link, {"passphrase": "eight or more"}), link)
        self.assertContains(self.client.get(link + "tables/billing-metering-mtr.html"), "mtr_srl_no")
        self.client.cookies.clear()
        self.assertContains(self.client.get(link), "opens with a passphrase")

    def test_an_area_lists_its_editions_openly_only_if_it_says_so(self) -> None:
        edition = self.publish()
        listed, one = reverse("open-editions", args=[self.area.slug]), reverse("open-edition", args=[self.area.slug, 1])
        for address in (listed, one, reverse("open-feed", args=[self.area.slug])):
            self.assertEqual(self.client.get(address).status_code, 404)
        SigningRule.objects.update_or_create(area=self.area, defaults={"lists_openly": True})
        self.assertContains(self.client.get(listed), "Meters &amp; more")
        self.assertContains(self.client.get(one), "Signed off by")
        self.assertContains(self.client.get(reverse("open-feed", args=[self.area.slug])), "edition 1")
        services.withdraw(edition_id=edition.pk, area=self.area, person=self.people[Role.APPROVER], reason="Wrong.")
        self.assertEqual(self.client.get(one).status_code, 404)
        self.draft()
        self.assertNotContains(self.client.get(listed), "Meters &amp; more")

    def test_the_zip_holds_every_file(self) -> None:
        self.sign_in(Role.READER)
        content = b"".join(self.client.get(self.address("zip")).streaming_content)  # type: ignore[arg-type]
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            self.assertIsNone(archive.testzip())
            names = {name.partition("/")[2] for name in archive.namelist()}
        self.assertEqual(names, set(self.edition.files.values_list("path", flat=True)))
        self.assertIn("index.html", names)
        self.assertNotIn("v_mtr", " ".join(names))
