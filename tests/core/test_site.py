"""An edition's pages: every link leads somewhere, nothing is asked of another host, no text becomes markup."""

from __future__ import annotations

import datetime as dt
import json
import posixpath
import re

import msgspec
from django.test import SimpleTestCase

from indexa.adapters.graphviz import place_by_graphviz
from indexa.core.diagram.arranging import arrange
from indexa.core.edition.book import book_of
from indexa.core.edition.parts import Contents, Frozen, Imprint, Picture
from indexa.core.model import Model
from indexa.core.render.site import build_site
from tests.factories import make_model

IMPRINT = Imprint("Dictionary <1>", "Billing", "A & B", "Ines Rook", dt.datetime(2026, 1, 2, tzinfo=dt.UTC))


def build(model: Model, **contents: bool) -> dict[str, str]:
    drawing = arrange(model, place_by_graphviz, style="grid")
    drawing.title = "All <of> it"
    pictures = [Picture(0, drawing)]
    frozen = Frozen(IMPRINT.area, IMPRINT.title, IMPRINT.note, Contents(**contents), [model], pictures)
    files = build_site(book_of(frozen, IMPRINT), {"font.woff2": b"font"})
    return {path: content.decode() for path, content in files}


def evil_model() -> Model:
    model = make_model()
    model.tables[0].columns[1].definition = "</script><img src=x onerror=alert(1)>"
    model.tables[0].comment = "<b>bold</b>"
    return model


class SiteTests(SimpleTestCase):
    def test_every_link_leads_to_a_file_of_the_edition(self) -> None:
        files = build(make_model())
        pages = {path: text for path, text in files.items() if path.endswith(".html")}
        self.assertEqual(len(pages), 2 + 3 + 1)
        for path, text in pages.items():
            for link in re.findall(r'(?:href|src|action)="([^"]+)"', text):
                if link.startswith(("#", "data:")):
                    continue
                target = posixpath.normpath(posixpath.join(posixpath.dirname(path), link.split("#")[0]))
                self.assertIn(target, files, f"{path} links to {link}")

    def test_nothing_is_asked_of_another_host_and_no_script_stands_in_a_page(self) -> None:
        files = build(make_model())
        found = re.fullmatch(r'(.*)<script type="application/ld\+json">(.*?)</script>(.*)', files["index.html"], re.S)
        assert found
        self.assertEqual(
            json.loads(found[2])["@context"], "https://schema.org", "the name of a vocabulary, never asked"
        )
        files["index.html"] = found[1] + found[3]
        for path, text in files.items():
            with self.subTest(path):
                self.assertNotRegex(text, r"https?://|//[a-z]+\.[a-z]+/")
                self.assertNotRegex(text, r"<script>|<style|\son\w+=|fetch\(|XMLHttpRequest")

    def test_tables_of_a_diagram_link_to_their_pages_and_back_and_it_is_there_as_text(self) -> None:
        files = build(make_model())
        picture = files["diagrams/all-of-it.html"]
        self.assertRegex(picture, r'<a href="\.\./tables/billing-metering-mtr\.html"><g class="card-box')
        self.assertIn("Each mtr_rdg refers to", picture.partition("</svg>")[2])
        self.assertIn("../diagrams/all-of-it.html", files["tables/billing-metering-mtr.html"])
        self.assertIn("diagrams/all-of-it.html", files["index.html"])
        self.assertFalse([path for path in build(make_model(), diagrams=False) if "diagram" in path])

    def test_no_text_becomes_markup(self) -> None:
        for path, text in build(evil_model()).items():
            with self.subTest(path):
                self.assertNotIn("<img src=x", text)
                self.assertNotIn("<b>bold", text)

    def test_relationships_are_linked_both_ways(self) -> None:
        files = build(make_model())
        meter, reading = files["tables/billing-metering-mtr.html"], files["tables/billing-metering-mtr-rdg.html"]
        self.assertRegex(meter, r"(?s)Referenced by.*billing-metering-mtr-rdg\.html")
        self.assertRegex(reading, r"(?s)References.*billing-metering-mtr\.html")
        self.assertIn("identifying", reading)

    def test_what_is_left_out_is_nowhere(self) -> None:
        self.assertNotIn("v_mtr", "".join(build(make_model(), views=False).values()))
        self.assertNotIn("as stamped", "".join(build(make_model(), comments=False).values()))
        model = make_model()
        model.tables[0].definition = "Measures water."
        self.assertEqual(sum(path.startswith("tables/") for path in build(model, undescribed=False)), 1)
        self.assertEqual(model.tables[0].columns[1].comment, "as stamped")

    def test_the_data_is_a_script_that_holds_every_column(self) -> None:
        text = build(evil_model())["assets/data.js"]
        data = msgspec.json.decode(text.removeprefix("window.EDITION = ").removesuffix(";\n"))
        self.assertEqual(len(data["columns"]), 7)
        self.assertEqual(data["columns"][1][7], "</script><img src=x onerror=alert(1)>")
