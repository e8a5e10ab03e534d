"""Sheets of the dictionary: written and read back they say nothing; what is written into them is found wherever it is moved to."""

from __future__ import annotations

import io
import random
from unittest import TestCase

import python_calamine
from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.dictionary.round_trip import (
    SheetContent,
    SheetError,
    SheetField,
    SheetRow,
    changes,
    read_sheet,
    unmatched,
    write_sheet,
)

FIELDS = [SheetField("definition", "Definition"), SheetField("a1", "Owner", choices=("Ann", "Ben"))]
texts = st.text(st.characters(exclude_categories=("Cs", "Cc")) | st.sampled_from("\n=+-@'\""), max_size=30)


def written(rows: list[SheetRow]) -> list[list[str]]:
    stream = io.BytesIO()
    write_sheet(stream, "m1", "Title", FIELDS, rows)
    sheet = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(stream.getvalue())).get_sheet_by_index(0)
    return [[str(cell) for cell in row] for row in sheet.to_python()]


def read(lines: list[list[str]]) -> SheetContent:
    return read_sheet(enumerate(lines, 1), FIELDS)


class RoundTripTests(TestCase):
    @settings(max_examples=25)
    @given(st.lists(st.tuples(texts, texts), min_size=1, max_size=6), st.randoms(use_true_random=False))
    def test_what_nobody_wrote_is_no_change_and_what_somebody_wrote_is_found_anywhere(
        self, values: list[tuple[str, str]], draw: random.Random
    ) -> None:
        rows = [
            SheetRow(f"c{at}", ("m", "s", "t", f"c{at}", "int", ""), {"definition": one, "a1": other})
            for at, (one, other) in enumerate(values)
        ]
        exported = {row.key: row.values for row in rows}
        lines = written(rows)
        self.assertEqual(changes(exported, read(lines), exported), [])
        at = draw.randrange(len(rows))
        place = lines[2].index("Definition")
        lines[3 + at][place] = "written by hand"
        head, body = lines[:3], lines[3:]
        draw.shuffle(body)
        order = list(range(len(lines[2])))
        draw.shuffle(order)
        turned = [[line[n] if n < len(line) else "" for n in order] for line in [*head, *body]]
        [found] = changes(exported, read(turned), exported)
        self.assertEqual((found.key, found.field, found.written), (f"c{at}", "definition", "written by hand"))

    def test_three_way(self) -> None:
        exported = {"c1": {"definition": "old", "a1": "Ann"}, "t2": {"definition": "x"}}
        content = SheetContent(
            "m",
            {"c1": (4, {"definition": "new", "a1": "Ann"}), "t2": (5, {"definition": "x", "a1": "Ben"}), "c9": (6, {})},
            [],
        )
        now = {"c1": {"definition": "mine", "a1": "Ben"}}
        [found] = changes(exported, content, now)
        self.assertEqual((found.now, found.is_conflict), ("mine", True))
        told = unmatched(exported, content, now, {"a1": "Owner"})
        self.assertEqual(
            told,
            [
                "Line 5: Owner can't be said of tables.",
                "Line 5: t2 is no longer here.",
                "Line 6: the key c9 is none of this sheet's.",
            ],
        )
        same = SheetContent("m", {"c1": (4, {"definition": "mine "})}, [])
        self.assertEqual(changes(exported, same, now), [])

    def test_a_key_twice_and_a_file_without_a_mark_are_refused(self) -> None:
        lines = written([SheetRow("c1", ("",) * 6, {"definition": "a"})])
        with self.assertRaisesRegex(SheetError, "stands in line 4 and in line 5"):
            read([*lines, ["c1", *[""] * 6, "b"]])
        self.assertEqual(len(read([*lines, lines[3]]).rows), 1)
        with self.assertRaisesRegex(SheetError, "lack the mark"):
            read(lines[1:])
        self.assertIn("has no key", read([*lines, ["", *[""] * 6, "stray"]]).remarks[0])
