"""`layout` and `render`: a model file or a script to places, SVG, Mermaid and DOT, without a server."""

from __future__ import annotations

import io
import json
import struct
import tempfile
from contextlib import redirect_stderr
from pathlib import Path
from unittest import TestCase
from xml.etree import ElementTree

from pypdf import PdfReader

from indexa.cli.__main__ import main

_SIDES = ("width", "height")

SCRIPT = """
create table bill.acct (acct_id bigint primary key, nm varchar(40) not null);
create table bill.inv (inv_id bigint primary key, acct_id bigint not null references bill.acct (acct_id), amt numeric(9,2));
create table bill.inv_ln (inv_id bigint references bill.inv (inv_id), ln_no int, primary key (inv_id, ln_no));
create table crm.note (note_id bigint primary key, up_id bigint references crm.note (note_id));
"""


class DiagramCommandTests(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "s.sql").write_text(SCRIPT)

    def out(self, command: str, *options: str) -> str:
        target = self.folder / "out"
        self.assertEqual(main([command, str(self.folder / "s.sql"), "-o", str(target), *options]), 0)
        return target.read_text(errors="replace")

    def test_a_layout_names_every_table_and_the_points_of_every_relationship(self) -> None:
        layout = json.loads(self.out("layout", "--style", "layered", "--depth", "keys"))
        self.assertEqual({(t["schema"], t["name"]) for t in layout["tables"]},
                         {("bill", "acct"), ("bill", "inv"), ("bill", "inv_ln"), ("crm", "note")})  # fmt: skip
        self.assertEqual(
            {(r["table"], r["ref_table"]) for r in layout["relationships"]},
            {("inv", "acct"), ("inv_ln", "inv"), ("note", "note")},
        )
        boxes = {t["name"]: t for t in layout["tables"]}
        for one in layout["relationships"]:
            for name, (x, y) in ((one["table"], one["points"][0]), (one["ref_table"], one["points"][-1])):
                box = boxes[name]
                self.assertIn(x, (box["x"], box["x"] + box["width"]))
                self.assertTrue(box["y"] <= y <= box["y"] + box["height"])
        self.assertLess(boxes["acct"]["x"], boxes["inv"]["x"])
        self.assertEqual(layout, json.loads(self.out("layout", "--style", "layered", "--depth", "keys")))

    def test_pictures_and_pages_are_as_large_as_they_should_be_and_keep_their_text(self) -> None:
        width, height = (
            float(ElementTree.fromstring(self.out("render", "--to", "svg")).get(side, "")) for side in _SIDES
        )
        self.out("render", "--to", "png", "--times", "2")
        png = (self.folder / "out").read_bytes()
        self.assertEqual(png[:8], b"\x89PNG\r\n\x1a\n")
        dots = struct.unpack(">II", png[16:24])
        self.assertTrue(all(abs(got - 2 * side) <= 2 for got, side in zip(dots, (width, height), strict=True)))
        self.out("render", "--to", "diagram-pdf")
        (sheet,) = PdfReader(self.folder / "out").pages
        self.assertTrue(abs(float(sheet.mediabox.width) - width * 0.75) < 1)
        self.assertIn("inv_ln", sheet.extract_text())
        self.out("render", "--to", "diagram-pdf", "--paper", "a4", "--style", "grid", "--depth", "full")
        sheets = PdfReader(self.folder / "out").pages
        self.assertIn(f"sheet 1 of {len(sheets)}: row 1, column 1", sheets[0].extract_text())
        texts = "".join(sheet.extract_text() for sheet in sheets)
        self.assertTrue(all(name in texts for name in ("acct", "inv_ln", "note")))

    def test_only_what_matches_is_drawn_and_what_matches_nothing_is_said(self) -> None:
        layout = json.loads(self.out("layout", "--tables", "BILL.inv*"))
        self.assertEqual({t["name"] for t in layout["tables"]}, {"inv", "inv_ln"})
        said = io.StringIO()
        with redirect_stderr(said):
            self.assertEqual(main(["layout", str(self.folder / "s.sql"), "--tables", "nothing"]), 1)
        self.assertIn("No table matches nothing", said.getvalue())

    def test_a_picture_stands_alone_with_its_fonts_and_literal_colours(self) -> None:
        for notation, sign in (("crows-foot", "<circle"), ("idef1x", 'class="dot"'), ("uml", "0..*")):
            text = self.out("render", "--to", "svg", "--notation", notation, "--theme", "dark")
            ElementTree.fromstring(text)
            self.assertIn(sign, text)
            self.assertIn("font/woff2", text)
            self.assertNotIn("var(", text)
            self.assertNotIn("http://", text.replace("http://www.w3.org/2000/svg", ""))

    def test_text_forms_tell_keys_and_both_ends(self) -> None:
        mermaid = self.out("render", "--to", "mermaid")
        self.assertIn("bill_acct ||..o{ bill_inv", mermaid)
        self.assertIn("bill_inv ||--o{ bill_inv_ln", mermaid)
        self.assertIn("crm_note |o..o{ crm_note", mermaid)
        self.assertIn("bigint inv_id PK, FK", mermaid)
        dot = self.out("render", "--to", "dot")
        self.assertIn("bill_inv -> bill_acct", dot)
        self.assertIn("style=dashed", dot)


class DocumentCommandTests(TestCase):
    def test_models_become_pages_documents_and_open_formats_without_a_server(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            script, other = Path(folder) / "s.sql", Path(folder) / "o.sql"
            script.write_text(SCRIPT)
            other.write_text("create table lab.probe (probe_id bigint primary key);")
            for form, begins in (
                ("pdf", b"%PDF-"), ("docx", b"PK"), ("xlsx", b"PK"), ("csv", b"PK"), ("md", b"# Water"), ("dcat", b"@prefix"),
                ("datapackage", b"{"), ("avro", b"["), ("xmi", b"<?xml"),
            ):  # fmt: skip
                target = Path(folder) / f"out.{form}"
                code = main(["render", str(script), str(other), "--to", form, "--title", "Water", "-o", str(target)])
                self.assertEqual((code, target.read_bytes().startswith(begins)), (0, True), form)
            self.assertEqual(
                main(["render", str(script), "--to", "html", "--without", "diagrams", "-o", f"{folder}/pages"]), 0
            )
            pages = {str(path.relative_to(f"{folder}/pages")) for path in Path(f"{folder}/pages").rglob("*.html")}
            self.assertIn("index.html", pages)
            self.assertEqual(sum(page.startswith("tables/") for page in pages), 4)
            self.assertEqual(main(["render", str(script), "--to", "html", "-o", f"{folder}/pages.zip"]), 0)
            overview = ["--template", "one-page-overview", "--to", "html", "-o", f"{folder}/overview"]
            self.assertEqual(main(["render", str(script), *overview]), 0)
            self.assertFalse((Path(folder) / "overview" / "tables").exists())
            with self.assertRaises(SystemExit):
                main(["render", str(script), str(other), "--to", "svg"])
