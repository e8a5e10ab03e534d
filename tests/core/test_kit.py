"""The result of a field kit, as clients write it and as people damage it."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.intake.choice import Choice
from indexa.core.intake.kit import MEMBERS, KitError, read_kit, rows_of_text
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model

ROWS = [
    [
        "s",
        "cust",
        "table",
        "1",
        "id",
        "int",
        "NO",
        "",
        "identity always",
        "primary",
        "cust_pk",
        "1",
        "",
        "",
        "",
        "Who; pays",
        "",
    ],
    [
        "s",
        "cust",
        "table",
        "2",
        "nm",
        "varchar(9)",
        "YES",
        "'a, b'",
        "",
        "",
        "",
        "",
        "",
        "",
        "",
        "Who; pays",
        'The "name"',
    ],
    ["s", "ord", "table", "2", "cust_id", "int", "NO", "", "", "foreign", "ord_fk", "2", "s", "cust", "nm", "", ""],
    ["s", "ord", "table", "1", "no", "int", "NO", "", "", "foreign", "ord_fk", "1", "s", "cust", "id", "", ""],
    ["s", "ord", "table", "1", "no", "int", "NO", "", "", "primary", "ord_pk", "1", "", "", "", "", ""],
    ["s", "v", "view", "1", "nm", "text", "YES", "", "", "", "", "", "", "", "", "", ""],
]


def text(
    delimiter: str = ",", header: Callable[[str], str] = str, rows: list[list[str]] = ROWS, footer: str = ""
) -> str:
    written = io.StringIO()
    writer = csv.writer(written, delimiter=delimiter)
    writer.writerows([[header(member) for member in MEMBERS], *rows])
    return written.getvalue() + footer


def read(given_text: str, choice: Choice | None = None) -> tuple[Model, Receipt]:
    return read_kit(rows_of_text(given_text), "oracle", choice or Choice(), lambda *_: None, "x")


class KitTests(TestCase):
    def test_any_delimiter_header_and_footer_gives_the_same_model(self) -> None:
        expected, _ = read(text())
        self.assertEqual([column.name for column in expected.tables[1].columns], ["no", "cust_id"])
        key = expected.tables[1].foreign_keys[0]
        self.assertEqual((key.columns, key.ref_table, key.ref_columns), (("no", "cust_id"), "cust", ("id", "nm")))
        cases = {
            "semicolon": text(";"),
            "tab": text("\t"),
            "bar": text("|"),
            "capitals": text(header=str.upper),
            "words": text(header=lambda member: member.replace("_", " ").title()),
            "row count": text(footer="\n(6 rows)\n"),
            "row count in other words": text(footer="\n6 record(s) selected.\n"),
            "prologue": "SQL> @kit.sql\n\n" + text(),
            "line ends": text().replace("\n", "\r\n").replace("\r\r", "\r"),
            "nulls": text(rows=[[cell or "NULL" for cell in row] for row in ROWS]),
        }
        for name, written in cases.items():
            with self.subTest(name):
                found, receipt = read(written)
                self.assertEqual(found, expected)
                self.assertEqual([note for note in receipt.notes if note.count], [])

    def test_a_table_drawn_with_rules_is_read_too(self) -> None:
        rows = [[cell.replace("|", "") for cell in row] for row in ROWS]
        lines = [
            " | ".join(MEMBERS),
            "-+-".join("-" * 5 for _ in MEMBERS),
            *(" | ".join(row) for row in rows),
            "(6 rows)",
        ]
        self.assertEqual(len(read("\n".join(lines))[0].tables), 3)

    def test_what_a_client_cut_off_is_named(self) -> None:
        narrow = "\n".join(
            line.rsplit(",", 8)[0] for line in text(rows=[row[:9] + [""] * 8 for row in ROWS]).split("\r\n")
        )
        _, receipt = read(narrow)
        self.assertIn("column description", [note.kind for note in receipt.left_out()])
        _, receipt = read(text(footer="\n(9 rows)"))
        self.assertIn("9 rows, and 6 are here", " ".join(note.reason for note in receipt.notes))
        long = [["s", f"t{n}", "table", "1", "c", "int", "NO", *[""] * 9, "x" * 30] for n in range(12)]
        _, receipt = read(text(rows=long))
        self.assertIn("may have cut them", " ".join(note.reason for note in receipt.adapted()))
        _, receipt = read(text(rows=[*ROWS, ["s", "", "table", "1", "lost", *[""] * 12]]))
        self.assertEqual([note.place for note in receipt.left_out() if note.kind == "rows"], ["line 8"])

    def test_a_choice_narrows_it_and_the_receipt_says_so(self) -> None:
        model, receipt = read(text(), Choice(kinds=frozenset({"tables"}), include=("o*",)))
        self.assertEqual([table.name for table in model.tables], ["ord"])
        self.assertEqual(
            {note.kind: note.count for note in receipt.left_out() if note.count}, {"tables": 1, "views": 1}
        )
        self.assertIn("s.cust", [note.place for note in receipt.adapted()])

    def test_what_is_no_result_is_refused_with_what_to_do(self) -> None:
        for name, given_text in {
            "empty": "",
            "prose": "Dear Ines, here it is.",
            "no columns": "table_name;x\na;b",
            "a script": "create table t (a int);",
        }.items():
            with self.subTest(name), self.assertRaises(KitError) as caught:
                read(given_text)
            self.assertRegex(str(caught.exception), "column")

    @settings(max_examples=150)
    @given(
        st.integers(0, 900), st.sampled_from(["", '"', ",", "\n", ";;;", "\0", "|---|", "\x1a"]), st.text(max_size=40)
    )
    def test_damaged_anywhere_it_gives_a_model_or_a_message(self, at: int, noise: str, tail: str) -> None:
        whole = text()
        try:
            model, _ = read(whole[:at] + noise + whole[at:] + tail)
        except KitError as error:
            self.assertTrue(str(error))
        else:
            for table in model.tables:
                self.assertEqual([column.position for column in table.columns], list(range(1, len(table.columns) + 1)))
