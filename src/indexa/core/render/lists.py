"""A plain list of rows as CSV and as a spreadsheet in which no cell can become a formula."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from typing import TypeAlias

import msgspec
import xlsxwriter

from indexa.core.render.cells import neutral

Row: TypeAlias = Sequence[str | int]


class Heading(msgspec.Struct, frozen=True):
    """A column of the list: its heading, its width in letters, and whether it holds machine names or long texts."""

    title: str
    width: int
    machine: bool = False
    wrapped: bool = False


def as_csv(headings: Sequence[Heading], rows: Iterable[Row]) -> bytes:
    """UTF-8 with a mark that spreadsheets know it by."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([heading.title for heading in headings])
    writer.writerows([neutral(cell) for cell in row] for row in rows)
    return out.getvalue().encode("utf-8-sig")


def as_xlsx(title: str, headings: Sequence[Heading], rows: Iterable[Row]) -> bytes:
    """A spreadsheet with fixed headings, widths and a filter."""
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    sheet = book.add_worksheet(title)
    bold, machine = book.add_format({"bold": True, "bottom": 1}), book.add_format({"font_name": "Consolas"})
    wrapped = book.add_format({"text_wrap": True, "valign": "top"})
    for at, heading in enumerate(headings):
        sheet.set_column(at, at, heading.width, machine if heading.machine else wrapped if heading.wrapped else None)
        sheet.write_string(0, at, heading.title, bold)
    last = 0
    for last, row in enumerate(rows, 1):
        for at, cell in enumerate(row):
            if isinstance(cell, int):
                sheet.write_number(last, at, cell)
            else:
                sheet.write_string(last, at, str(neutral(cell)))
    sheet.freeze_panes(1, 2)
    sheet.autofilter(0, 0, max(last, 1), len(headings) - 1)
    book.close()
    return out.getvalue()
