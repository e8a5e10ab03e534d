"""The wording of scripts by templates: tried, checked, kept in versions, used in every script, exported and imported."""

from __future__ import annotations

from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Role
from indexa.building.models import DdlTemplate
from indexa.core.ddl import templates
from indexa.core.ddl.script import Options
from indexa.core.ddl.writing import write_ddl
from tests.factories import PASSWORD, make_area, make_model, make_person, store

IF_NOT = "{{ statement|replace('CREATE TABLE', 'CREATE TABLE IF NOT EXISTS') }}"


class TemplateTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person = make_person(self.area)
        self.model = store(self.area, make_model())
        self.client.login(username=self.person.username, password=PASSWORD)

    def send(self, view: str, *args: object, **given: Any) -> Any:
        return self.client.post(reverse(f"building:{view}", args=[self.area.slug, *args]), given, follow=True)

    def script(self) -> str:
        return self.client.get(reverse("building:ddl-file", args=[self.area.slug, self.model.pk])).content.decode()

    def test_a_template_words_every_script_in_versions_and_goes_back(self) -> None:
        plain = self.script()
        self.assertContains(self.send("save-template", "table", source=IF_NOT, why="run twice"), "Version 1")
        self.send("save-template", "footer", source="Reviewed by {{ person }}\non {{ date }}")
        worded = self.script()
        self.assertEqual(worded.count("CREATE TABLE IF NOT EXISTS"), 2)
        self.assertIn(f"-- Reviewed by {self.person.display_name}\n-- on 20", worded)
        again = self.send("save-template", "table", source="{{ statement }}")
        self.assertContains(again, "Version 2")
        self.send("save-template", "footer", source="")
        self.assertEqual(self.script().split("\n")[2:], plain.split("\n")[2:])
        self.assertEqual(DdlTemplate.objects.filter(kind="table").count(), 2)

    def test_the_preview_shows_the_wording_and_tells_a_change_of_meaning(self) -> None:
        shown = self.send("preview-template", kind="table", source=IF_NOT, model=self.model.pk)
        self.assertContains(shown, "still makes the same")
        self.assertContains(shown, "CREATE TABLE IF NOT EXISTS metering.mtr")
        shown = self.send("preview-template", kind="table", source="{{ statement|replace('bigint', 'text') }}")
        self.assertContains(shown, "column metering.mtr.mtr_id: type differs")
        shown = self.send("preview-template", kind="table", source="-- {{ name }} is not made")
        self.assertContains(shown, "table metering.mtr: no longer made")

    def test_what_is_more_than_a_template_may_hold_is_refused(self) -> None:
        for source, why in (
            ("{% for x in statement %}{{ x }}{% endfor %}", "more than a template may hold"),
            ("{{ statement.__class__ }}", "more than a template may hold"),
            ("{{ secret }}", "There is no part"),
            ("{{ statement|pprint }}", "There is no filter"),
            ("{{ statement", "can&#x27;t be read"),
        ):
            with self.subTest(why):
                self.assertContains(self.send("preview-template", kind="table", source=source), why)
                self.assertContains(self.send("save-template", "table", source=source), why)
        self.assertFalse(DdlTemplate.objects.exists())

    def test_templates_go_to_another_area_by_a_file(self) -> None:
        self.send("save-template", "table", source=IF_NOT)
        file = self.client.get(reverse("building:export-templates", args=[self.area.slug])).content
        DdlTemplate.objects.all().delete()
        self.assertContains(
            self.send("import-templates", file=SimpleUploadedFile("t.json", file)), "1 template imported"
        )
        self.assertEqual(DdlTemplate.objects.get().source, IF_NOT)
        broken = SimpleUploadedFile("t.json", b"[1, 2")
        self.assertContains(self.send("import-templates", file=broken), "no file of templates")

    def test_readers_look_and_change_nothing(self) -> None:
        reader = make_person(self.area, Role.READER)
        self.client.login(username=reader.username, password=PASSWORD)
        self.assertEqual(self.client.get(reverse("building:templates", args=[self.area.slug])).status_code, 200)
        for view, args in (("save-template", ["table"]), ("preview-template", []), ("import-templates", [])):
            self.assertEqual(self.send(view, *args, source="x").status_code, 403)

    def test_one_that_fails_leaves_the_statement_and_says_so(self) -> None:
        script = write_ddl(make_model(), "postgresql", Options())
        failing = templates.worded(script, {"table": "{{ statement + 1 }}"}, templates.Facts(), templates.render)
        self.assertEqual([one.text for one in failing.statements], [one.text for one in script.statements])
        self.assertIn("can't be used here", failing.remarks[0].what)
