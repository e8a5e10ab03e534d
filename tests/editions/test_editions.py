"""Editions: a draft is what will be published, a published one never changes, a reading link ends when revoked."""

from __future__ import annotations

import io
import re
import zipfile

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.editions import services
from indexa.editions.building import build_edition
from indexa.editions.models import Edition, ReadingLink
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.modeling import editing
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store


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
            models=[self.stored.pk], contents={"views": False},
        )  # fmt: skip
        build_edition(job, Silent())
        edition.refresh_from_db()
        return edition

    def sign_in(self, role: Role) -> None:
        self.client.login(username=self.people[role].username, password=PASSWORD)

    def address(self, name: str, *args: object) -> str:
        return reverse(f"editions:{name}", args=[self.area.slug, self.edition.pk, *args])

    def page(self) -> str:
        return self.client.get(self.address("read-file", "tables/1-metering-mtr.html")).content.decode()

    def test_only_an_approver_publishes_and_numbers_go_up(self) -> None:
        self.assertEqual((self.edition.state, self.edition.number), (Edition.State.DRAFT, None))
        self.sign_in(Role.STEWARD)
        self.assertEqual(self.client.post(self.address("publish")).status_code, 403)
        self.sign_in(Role.APPROVER)
        self.client.post(self.address("publish"))
        self.edition.refresh_from_db()
        self.assertEqual((self.edition.number, self.edition.published_by), (1, self.people[Role.APPROVER]))
        second = self.draft()
        self.assertEqual(
            services.publish(edition_id=second.pk, area=self.area, person=self.people[Role.APPROVER]).number, 2
        )

    def test_a_published_edition_never_changes(self) -> None:
        services.publish(edition_id=self.edition.pk, area=self.area, person=self.people[Role.APPROVER])
        self.sign_in(Role.STEWARD)
        before = self.page()
        self.assertIn("Day the meter was set.", before)
        self.define("Something else.", seen="Day the meter was set.")
        self.assertEqual(self.page(), before)
        with self.assertRaisesMessage(JobFailedError, "never change"):
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
        services.publish(edition_id=self.edition.pk, area=self.area, person=self.people[Role.APPROVER])
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

    def test_the_zip_holds_every_file(self) -> None:
        self.sign_in(Role.READER)
        content = b"".join(self.client.get(self.address("zip")).streaming_content)  # type: ignore[arg-type]
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            self.assertIsNone(archive.testzip())
            names = {name.partition("/")[2] for name in archive.namelist()}
        self.assertEqual(names, set(self.edition.files.values_list("path", flat=True)))
        self.assertIn("index.html", names)
        self.assertNotIn("v_mtr", " ".join(names))
