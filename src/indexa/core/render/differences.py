"""Differences with their decisions as a finished spreadsheet, in which no cell is a formula."""

from __future__ import annotations

import io
from collections.abc import Sequence

import xlsxwriter

from indexa.core.compare.reporting import Reported
from indexa.core.compare.wording import kind_in_words

_HEADINGS = (
    ("Table", 34), ("What", 16), ("Name", 28), ("Property", 16), ("Kind", 11), ("Other side", 44), ("Model", 44), ("Who changed it", 24),
    ("Decision", 16),
)  # fmt: skip
_LONGEST = 32_000


def as_xlsx(other: str, model: str, rows: Sequence[Reported]) -> bytes:
    """Return the spreadsheet: a row for each difference, with a filter over all of them."""
    made = io.BytesIO()
    book = xlsxwriter.Workbook(made, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    sheet = book.add_worksheet("Differences")
    head = book.add_format({"bold": True, "bg_color": "#F3EEE1", "bottom": 1})
    text = book.add_format({"text_wrap": True, "valign": "top"})
    sheet.write_string(0, 0, f"{model} beside {other}"[:_LONGEST], book.add_format({"bold": True, "font_size": 14}))
    for column, (name, width) in enumerate(_HEADINGS):
        sheet.set_column(column, column, width)
        sheet.write_string(2, column, name, head)
    for number, row in enumerate(rows, 3):
        one = row.difference
        cells = (
            one.full_table, one.what, one.name, one.field, kind_in_words(one.kind), one.before, one.after, row.side, row.decision,
        )  # fmt: skip
        for column, cell in enumerate(cells):
            sheet.write_string(number, column, cell[:_LONGEST], text)
    sheet.freeze_panes(3, 1)
    sheet.autofilter(2, 0, max(3, len(rows) + 2), len(_HEADINGS) - 1)
    sheet.set_landscape()
    sheet.repeat_rows(2)
    book.close()
    return made.getvalue()
