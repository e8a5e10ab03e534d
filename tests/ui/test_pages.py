"""What every answer has in common: headers, error pages, no secret, no other host."""

from __future__ import annotations

import re
from unittest.mock import patch

from django.test import TestCase, override_settings
from django.urls import reverse

from indexa.areas.models import Role
from indexa.jobs.models import Job
from indexa.ui.templatetags.sheet import with_names
from tests.factories import PASSWORD, make_area, make_model, make_person, store


class PageTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.stored = store(self.area, make_model())
        self.client.login(username=make_person(self.area, Role.ADMINISTRATOR).username, password=PASSWORD)
        self.desk = reverse("desk:page", args=[self.area.slug])

    def test_no_page_asks_another_host_or_has_a_script_or_a_style_in_it(self) -> None:
        names = ("desk:page", "sources:list", "sources:new", "modeling:list", "dictionary:page", "editions:list",
                 "editions:new", "jobs:list", "areas:members")  # fmt: skip
        for name in names:
            with self.subTest(name):
                text = self.client.get(reverse(name, args=[self.area.slug])).content.decode()
                self.assertNotRegex(text, r"https?://(?!testserver)|<script>|<style|\sstyle=|\son[a-z]+=")

    def test_names_in_sentences_are_marked_and_everything_is_escaped(self) -> None:
        self.assertEqual(with_names("it joins `a.b` & <i>"), "it joins <code>a.b</code> &amp; &lt;i&gt;")
        self.assertEqual(with_names("`x<y` refers", True), "<code>x&lt;y</code> refers")

    def test_headers_are_strict(self) -> None:
        headers = self.client.get(self.desk).headers
        policy = headers["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertNotIn("unsafe", policy)
        self.assertIn("frame-ancestors 'none'", policy)
        self.assertEqual(headers["X-Frame-Options"], "DENY")
        self.assertEqual(headers["X-Content-Type-Options"], "nosniff")
        self.assertEqual(headers["Referrer-Policy"], "same-origin")

    def test_each_error_has_a_page_that_says_what_to_do(self) -> None:
        self.assertContains(self.client.get("/nowhere/"), "There is nothing here", status_code=404)
        refused = self.client.post(self.desk)
        self.assertContains(refused, "not how this page is used", status_code=405)
        self.assertEqual(refused.headers["Allow"], "GET")
        self.client.raise_request_exception = False
        with (
            patch("indexa.dictionary.panels.gaps", side_effect=RuntimeError("inside")),
            self.assertLogs("django.request"),
        ):
            answer = self.client.get(self.desk)
        self.assertContains(answer, "Something went wrong on our side", status_code=500)
        self.assertNotContains(answer, "inside", status_code=500)
        strict = self.client_class(enforce_csrf_checks=True)
        strict.cookies = self.client.cookies
        answer = strict.post(reverse("changes:undo", args=[self.area.slug]))
        self.assertContains(answer, "The form was too old", status_code=403)

    def test_the_theme_is_in_the_first_paint(self) -> None:
        self.client.cookies["theme"] = "dark"
        self.assertContains(self.client.get(self.desk), 'data-bs-theme="dark"')
        self.client.cookies["theme"] = '"><script>'
        self.assertNotContains(self.client.get(self.desk), "data-bs-theme")

    def test_empty_states_teach(self) -> None:
        empty = make_area("Empty")
        self.client.login(username=make_person(empty).username, password=PASSWORD)
        for name, words in {
            "desk:page": "Begin with a source", "sources:list": "Nothing is read yet", "modeling:list": "No model yet",
            "dictionary:page": "The dictionary fills itself", "editions:list": "Nothing published yet",
        }.items():  # fmt: skip
            with self.subTest(name):
                self.assertContains(self.client.get(reverse(name, args=[empty.slug])), words)

    @override_settings(AXES_ENABLED=True)
    def test_too_many_wrong_passwords_close_the_door_for_a_while(self) -> None:
        self.client.logout()
        for _ in range(8):
            answer = self.client.post("/sign-in/", {"username": "anna", "password": "wrong"})
        self.assertContains(answer, "Too many attempts", status_code=429)

    def test_lookup_finds_every_kind_of_thing(self) -> None:
        def found(text: str) -> str:
            answer = self.client.get(reverse("desk:lookup", args=[self.area.slug]), {"q": text})
            return re.sub(r"</?mark>", "", answer.content.decode())

        self.assertIn("metering.mtr_rdg", found("mtr_r"))
        self.assertIn("rdg_val", found("RDG_V"))
        self.assertIn("Model", found("billing"))
        self.assertIn("Person", found("administrator"))
        self.assertIn("Nothing here contains", found("<nosuch>"))
        self.assertIn("&lt;nosuch&gt;", found("<nosuch>"))

    def test_the_desk_shows_a_failure_until_the_same_was_run_again(self) -> None:
        failed = Job.objects.create(area=self.area, kind="intake", title="Reading", state="failed", reason="No host.")
        Job.objects.create(area=self.area, kind="intake", title="Another", state="done")
        self.assertContains(self.client.get(self.desk), failed.reason)
        Job.objects.create(area=self.area, kind="intake", title="Reading", state="done")
        self.assertNotContains(self.client.get(self.desk), failed.reason)
