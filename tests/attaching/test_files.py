"""Files attached to tables, columns and terms: taken by what they are, always saved and never shown, deleted and undone."""

from __future__ import annotations

from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from indexa.areas.models import Role
from indexa.attaching import services
from indexa.attaching.models import AttachedContent, Attachment
from indexa.changes import undoing
from tests.factories import PASSWORD, make_area, make_model, make_person, store, table
from tests.glossary.test_glossary import GlossaryCase


class FileTests(GlossaryCase):
    def setUp(self) -> None:
        super().setUp()
        self.table = table(self.model, "mtr")

    def attach(self, content: bytes, name: str, target: str = "table", pk: int = 0) -> Any:
        url = reverse("attaching:files", args=[self.area.slug, target, pk or self.table.pk])
        return self.client.post(url, {"file": SimpleUploadedFile(name, content)})

    def test_a_file_is_attached_found_saved_deleted_and_undone(self) -> None:
        self.assertContains(self.attach(b"%PDF-1.7 stamped", "Meter “types” 2026.pdf"), "Meter “types” 2026.pdf")
        self.attach(b"%PDF-1.7 stamped", "again.pdf", "term", self.term("Meter").pk)
        self.assertEqual((Attachment.objects.count(), AttachedContent.objects.count()), (2, 1))
        found = self.client.get(reverse("desk:lookup", args=[self.area.slug]), {"q": "types"})
        self.assertContains(found, "metering.mtr")
        one = Attachment.objects.get(target="table")
        answer = self.client.get(reverse("attaching:download", args=[self.area.slug, one.pk]))
        self.assertEqual(answer.content, b"%PDF-1.7 stamped")
        self.assertTrue(answer["Content-Disposition"].startswith("attachment; "))
        self.assertEqual((answer["X-Content-Type-Options"], answer["Content-Type"]), ("nosniff", "application/pdf"))
        url = reverse("attaching:files", args=[self.area.slug, "table", self.table.pk])
        self.assertNotContains(self.client.post(url, {"delete": one.pk}), "2026.pdf")
        undoing.undo(area=self.area, person=self.person)
        self.assertEqual(services.content_of(Attachment.objects.get(pk=one.pk)), b"%PDF-1.7 stamped")

    def test_what_is_no_document_is_refused_by_name_and_nothing_is_kept(self) -> None:
        for content, name, why in (
            (b"<script>alert(1)</script>", "page.html", "files of this kind are not taken"),
            (b"<svg onload='x'/>", "drawing.svg", "files of this kind are not taken"),
            (b"MZ", "report.pdf", "is no PDF file"),
            (b"", "empty.txt", "is empty"),
            (b"x" * (services.LARGEST + 1), "large.txt", "10 MB are kept"),
            (b"x", "no ending", "files of this kind are not taken"),
        ):
            answer = self.attach(content, name)
            self.assertContains(answer, why, status_code=422, msg_prefix=name)
        self.assertEqual(Attachment.objects.count(), 0)
        self.attach(b"x", "../../etc/pass\x00wd\n.txt")
        self.assertEqual(Attachment.objects.get().name, "passwd.txt")
        self.attach(b"x", f"{'long' * 100}.txt")
        self.assertLessEqual(max(len(one.name) for one in Attachment.objects.all()), 200)
        for number in range(18):
            self.attach(b"x", f"{number}.txt")
        self.assertContains(self.attach(b"x", "more.txt"), "20 files already", status_code=422)

    def test_readers_only_read_and_another_area_has_nothing_of_it(self) -> None:
        self.attach(b"x", "a.txt")
        one = Attachment.objects.get()
        self.client.login(username=make_person(self.area, Role.READER).username, password=PASSWORD)
        self.assertEqual(self.attach(b"x", "b.txt").status_code, 403)
        self.assertEqual(self.client.get(reverse("attaching:download", args=[self.area.slug, one.pk])).status_code, 200)
        other = make_area("Elsewhere")
        self.client.login(username=make_person(other).username, password=PASSWORD)
        for url in (
            reverse("attaching:download", args=[other.slug, one.pk]),
            reverse("attaching:files", args=[other.slug, "table", self.table.pk]),
            reverse("attaching:files", args=[other.slug, "nothing", 1]),
        ):
            self.assertEqual(self.client.get(url).status_code, 404, url)
        self.assertEqual(self.client.get(reverse("attaching:download", args=[self.area.slug, one.pk])).status_code, 404)
        store(other, make_model())
