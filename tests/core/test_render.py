"""Documents: what is written can be read back, and no cell becomes a formula."""

from __future__ import annotations

import csv
import datetime as dt
import io
import re

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import load_workbook

from indexa.core.dictionary.entry import HEADINGS, Entry
from indexa.core.render import csv_file, markdown, xlsx
from indexa.core.render.cells import neutral
from tests.core.strategies import TEXTS

HARMFUL = "=cmd|' /C calc'!A0"


def entry(table: str = "mtr", position: int = 1, definition: str = "", **changes: str) -> Entry:
    return Entry(
        model="billing", schema="metering", table=table, table_business_name="Meter", kind="table", position=position,
        roles=3, column=changes.get("column", "mtr_id"), business_name=changes.get("business_name", ""), type="bigint",
        nullable=False, definition=definition, comment=changes.get("comment", ""),
    )  # fmt: skip


class CsvTests(SimpleTestCase):
    @given(st.lists(st.tuples(TEXTS, TEXTS), max_size=5))
    @settings(max_examples=60)
    def test_every_cell_is_read_back(self, words: list[tuple[str, str]]) -> None:
        entries = [entry(definition=first, comment=second) for first, second in words]
        content = b"".join(csv_file.pieces(entries)).decode()
        read = list(csv.reader(io.StringIO(content, newline=""), strict=True))
        self.assertEqual(read[0], list(HEADINGS))
        self.assertEqual(read[1:], [[str(neutral(cell)) for cell in one.cells()] for one in entries])

    def test_lines_end_as_rfc_4180_says_and_formulas_are_neutral(self) -> None:
        content = b"".join(csv_file.pieces([entry(definition=HARMFUL)])).decode()
        self.assertEqual(content.count("\r\n"), 2)
        self.assertIn(f"'{HARMFUL}", content)

    def test_what_counts_as_a_formula(self) -> None:
        cases = {"=1": "'=1", "+1": "'+1", "-1": "'-1", "@a": "'@a", "\tx": "'\tx", "a=1": "a=1", "": "", 5: 5}
        self.assertEqual({value: neutral(value) for value in cases}, cases)


class MarkdownTests(SimpleTestCase):
    def test_a_section_a_table_and_no_cell_breaks_the_row(self) -> None:
        entries = [
            entry(definition="one | two\nthree *bold* <script>"),
            entry(position=2, column="a|b"),
            entry(table="zn", comment="as is"),
        ]
        content = b"".join(markdown.pieces(entries, "Title", "sub")).decode()
        self.assertEqual(content.count("\n## "), 2)
        self.assertIn("one \\| two<br>three \\*bold\\* \\<script\\>", content)
        self.assertIn("(comment) as is", content)
        rows = [line for line in content.splitlines() if line.startswith("| ")]
        self.assertEqual({len(re.findall(r"(?<!\\)\|", row)) for row in rows}, {9})


class SpreadsheetTests(SimpleTestCase):
    def make(self, entries: list[Entry]) -> io.BytesIO:
        stream = io.BytesIO()
        cover = xlsx.Cover(
            "Data dictionary: Billing", "Ines Rook", dt.datetime(2026, 1, 2, tzinfo=dt.UTC), (("Text", "mtr"),)
        )
        self.assertEqual(xlsx.write(stream, entries, cover), len(entries))
        stream.seek(0)
        return stream

    def test_it_looks_finished(self) -> None:
        entries = [
            entry(definition="word " * 40),
            entry(position=2),
            entry(table="zn"),
            entry(table="zz", definition=HARMFUL),
        ]
        book = load_workbook(self.make(entries))
        self.assertEqual(book.sheetnames, ["Summary", "Tables", "Dictionary", "Key roles"])
        sheet = book["Dictionary"]
        self.assertEqual([cell.value for cell in sheet[3]], list(HEADINGS))
        self.assertEqual(sheet.freeze_panes, "A4")
        self.assertEqual(sheet.auto_filter.ref, "A3:O7")
        definition = sheet["N4"]
        self.assertTrue(definition.alignment.wrap_text)
        self.assertAlmostEqual(sheet.column_dimensions["N"].width, 60, delta=1)
        fills = [sheet.cell(row, 1).fill.fgColor.rgb for row in range(4, 8)]
        self.assertEqual(fills[0], fills[1])
        self.assertNotEqual(fills[1], fills[2])
        self.assertNotEqual(fills[2], fills[3])
        self.assertEqual(sheet["H4"].value, "PK FK")
        self.assertEqual([row[0].value for row in book["Key roles"].iter_rows(min_row=2)], ["PK", "FK", "UQ"])

    def test_no_cell_is_a_formula_and_the_summary_adds_up(self) -> None:
        book = load_workbook(self.make([entry(definition=HARMFUL), entry(position=2, column="=A1")]))
        kinds = {cell.data_type for sheet in book for row in sheet.iter_rows() for cell in row}
        self.assertNotIn("f", kinds)
        self.assertEqual(book["Dictionary"]["N4"].value, HARMFUL)
        last = [cell.value for cell in list(book["Summary"].iter_rows())[-1]]
        self.assertEqual(last[:5], ["Total", None, 1, 2, 1])
