"""Whatever is written into an address or a form, no page breaks: each answers, or says what is wrong with it."""

from __future__ import annotations

import random
import re
from pathlib import Path

from django.test import TestCase
from django.urls import URLPattern

import indexa
from indexa.areas.models import Role
from indexa.jobs.models import Job
from indexa.jobs.progress import Silent
from indexa.proposals import discovery
from tests.areas.test_policies import patterns
from tests.factories import PASSWORD, column, make_area, make_model, make_person, make_source, store, table

ANYTHING = (
    "", "\x00", "9" * 25, "-1", "é" * 3_000, "[]", "null", "1; drop table x", "<script>", "2024-13-45", "0", "1", "true", "../../etc", "%s",
    "{{ x }}", "😀", "accept", "reject", "open", "name", "column", "table", "definition", "1,2", "* * * * *", "daily",
)  # fmt: skip
WORDS = ("column", "table", "definition", "business_name", "csv", "xlsx", "live", "postgresql", "name", "a\x00b")
_FIELD = re.compile(r'(?:GET|POST)(?:\.get(?:list)?\(|\[)"(\w+)"')


class AnythingTests(TestCase):
    def setUp(self) -> None:
        self.draw = random.Random(11)
        self.area = make_area()
        person = make_person(self.area, Role.ADMINISTRATOR)
        stored = store(self.area, make_model())
        source = make_source(self.area, "nowhere", ["a"])
        job = Job.objects.create(
            area=self.area, kind="proposals", title="Looking", started_by=person, arguments={"model": stored.pk}
        )
        discovery.find(job, Silent())
        self.keys = [
            stored.pk, stored.logical_id, table(stored, "mtr").pk, column(stored, "mtr.inst_dt").pk, source.pk, job.pk, 999_999_999_999,
        ]  # fmt: skip
        sources = Path(indexa.__file__).parent.rglob("*.py")
        self.fields = sorted({name for path in sources for name in _FIELD.findall(path.read_text())})
        self.client.login(username=person.username, password=PASSWORD)

    def address(self, route: str) -> str:
        """Fill the places of a route: keys of whatever is there, words that some addresses know."""

        def filled(place: re.Match[str]) -> str:
            if place["name"] == "area_slug":
                return self.area.slug
            return str(self.draw.choice(self.keys if place["kind"] == "int:" else WORDS))

        def chosen(place: re.Match[str]) -> str:
            return str(self.draw.choice(self.keys if "d+" in place[2] else place[2].split("|")))

        written = re.sub(r"\(\?P<(\w+)>([^)]*)\)", chosen, route)
        return "/" + re.sub(r"<(?P<kind>\w+:)?(?P<name>\w+)>", filled, written).replace("^", "").replace("$", "")

    def test_nothing_that_is_written_breaks_a_page(self) -> None:
        self.assertGreater(len(self.fields), 40)
        self.client.raise_request_exception = False
        for route, pattern in patterns():
            if pattern.name not in ("sign-out", "sign-in"):
                for _ in range(3):
                    self.ask(route, pattern)

    def ask(self, route: str, pattern: URLPattern) -> None:
        address = self.address(route)
        given = {name: self.draw.choice(ANYTHING) for name in self.draw.sample(self.fields, self.draw.randrange(40))}
        for method in (self.client.get, self.client.post):
            with self.subTest(address=address, name=pattern.name, given=given):
                self.assertLess(method(address, given).status_code, 500)

    def test_a_character_that_no_text_holds_is_taken_out(self) -> None:
        page = self.client.get(f"/a/{self.area.slug}/dictionary/", {"q": "mt\x00r"})
        self.assertContains(page, 'value="mtr"')
        self.assertEqual(self.client.get("/read/a%00b/").status_code, 404)
