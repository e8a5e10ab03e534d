"""A dictionary as a finished spreadsheet: a summary, its tables, the entries, a legend of key roles; all linked."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Sequence
from typing import IO, Any, TypeAlias

import msgspec
import xlsxwriter

from indexa.core.dictionary.entry import HEADINGS, Entry
from indexa.core.dictionary.key_roles import LABELS
from indexa.core.edition.sheets import Sheet

_WIDEST = {
    "Definition": 60,
    "Table's definition": 44,
    "Comment in the source": 44,
    "Business name": 34,
    "Table's business name": 30,
}
_WIDEST_OTHER = 32
_WIDEST_SHEET = 60
_MOST_ROWS = 1_048_576 - 4
_MOST_CHARACTERS = 32_767
_WRAPPED = {HEADINGS.index(name) for name in ("Definition", "Table's definition", "Comment in the source")}
_CENTRED = {HEADINGS.index("Position"), HEADINGS.index("Key roles"), HEADINGS.index("Nullable")}
_MACHINE = {HEADINGS.index(name) for name in ("Schema", "Table", "Column", "Type", "References")}
_TABLE = HEADINGS.index("Table")
_INK, _ACCENT, _BAND = "#1D2A30", "#1B5E63", "#F3EEE1"


class Cover(msgspec.Struct, frozen=True):
    """What the first sheet says: title, who made it and when, and the view it was made from."""

    title: str
    made_by: str
    made_at: dt.datetime
    facts: tuple[tuple[str, str], ...] = ()
    more: tuple[str, ...] = ()
    """Headings of what else entries hold."""

    @property
    def headings(self) -> tuple[str, ...]:
        """All headings of the sheet of entries."""
        return (*HEADINGS, *self.more)


_MOST_LINKS = 60_000
"""Spreadsheet programs take some 65,000 links on a sheet."""


class _Tally(msgspec.Struct):
    """What a table holds, and the row of the sheet "Dictionary" in which it begins, from 0."""

    row: int
    definition: str = ""
    columns: int = 0
    described: int = 0


_Tables: TypeAlias = dict[tuple[str, str, str], _Tally]
"""By model, schema and name, in the order of the sheet."""


def write(stream: IO[bytes], entries: Iterable[Entry], cover: Cover, sheets: Sequence[Sheet] = ()) -> int:
    """Write the workbook to stream and return the number of entries in it; `sheets` are more of it, before the legend.

    Rows go to disk as they come, so memory does not grow with them. A sheet holds 1,048,572
    entries; what is over that is counted on the summary sheet and left out.
    """
    book = xlsxwriter.Workbook(
        stream, {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    book.set_properties({"title": cover.title, "author": cover.made_by, "created": cover.made_at.replace(tzinfo=None)})
    summary, index, sheet, *others, legend = (
        book.add_worksheet(name)
        for name in ("Summary", "Tables", "Dictionary", *(one.name for one in sheets), "Key roles")
    )
    formats = _Formats(book, len(cover.headings))
    count, tables, left_out = _write_entries(sheet, entries, cover, formats)
    _write_summary(summary, cover, tables, left_out, sheets, formats)
    _write_tables(index, tables, formats)
    for target, one in zip(others, sheets, strict=True):
        _write_sheet(target, one, formats)
    _write_legend(legend, formats)
    book.close()
    return count


class _Formats:
    """Every look a cell can have, made once."""

    def __init__(self, book: Any, places: int) -> None:
        base = {"font_name": "Calibri", "font_size": 10, "font_color": _INK, "valign": "top"}
        self.title = book.add_format({**base, "font_size": 18, "bold": True})
        self.quiet = book.add_format({**base, "font_color": "#55626A"})
        self.plain = book.add_format(base)
        self.bold = book.add_format({**base, "bold": True})
        self.wrap = book.add_format({**base, "text_wrap": True})
        self.link = book.add_format({**base, "font_color": _ACCENT, "underline": 1})
        self.machine_link = book.add_format({**base, "font_color": _ACCENT, "underline": 1, "font_name": "Consolas"})
        self.number = book.add_format({**base, "num_format": "#,##0"})
        self.percent = book.add_format({**base, "num_format": "0%"})
        self.head = book.add_format(
            {**base, "bold": True, "bg_color": _ACCENT, "font_color": "#FFFFFF", "valign": "vcenter",
             "text_wrap": True, "bottom": 1}
        )  # fmt: skip
        self.cells: list[list[Any]] = []
        for band in (False, True):
            look = {**base, "bottom": 4, "bottom_color": "#DDD5C3"} | ({"bg_color": _BAND} if band else {})
            row = []
            for place in range(places):
                cell: dict[str, Any] = dict(look)
                if place in _WRAPPED:
                    cell["text_wrap"] = True
                if place in _CENTRED:
                    cell["align"] = "center"
                if place in _MACHINE:
                    cell["font_name"] = "Consolas"
                row.append(book.add_format(cell))
            self.cells.append(row)


def _write_entries(sheet: Any, entries: Iterable[Entry], cover: Cover, formats: _Formats) -> tuple[int, _Tables, int]:
    sheet.write_string(0, 0, cover.title, formats.title)
    sheet.write_string(1, 0, _made(cover), formats.quiet)
    sheet.set_row(0, 26)
    sheet.set_row(2, 30)
    for place, heading in enumerate(cover.headings):
        sheet.write_string(2, place, heading, formats.head)
    widths = [len(max(heading.split(), key=len)) + 3 for heading in cover.headings]
    tables: _Tables = {}
    row, band, left_out, last_table = 3, True, 0, None
    for entry in entries:
        if row - 3 >= _MOST_ROWS:
            left_out += 1
            continue
        table = (entry.model, entry.schema, entry.table)
        is_first = table not in tables
        tally = tables.setdefault(table, _Tally(row, entry.table_definition))
        if table != last_table:
            band, last_table = not band, table
        tally.columns += 1
        tally.described += bool(entry.definition)
        looks = formats.cells[band]
        for place, value in enumerate(entry.cells()):
            if isinstance(value, int):
                sheet.write_number(row, place, value, looks[place])
                continue
            if place == _TABLE and is_first and len(tables) <= _MOST_LINKS:
                sheet.write_url(row, place, f"internal:'Tables'!C{len(tables) + 1}", looks[place], value)
                continue
            # Always as a string: what looks like a formula stays text.
            sheet.write_string(row, place, value[:_MOST_CHARACTERS], looks[place])
            if len(value) > widths[place]:
                widths[place] = len(value)
        row += 1
    for place, heading in enumerate(cover.headings):
        sheet.set_column(place, place, min(widths[place] + 2, _WIDEST.get(heading, _WIDEST_OTHER)))
    sheet.freeze_panes(3, 0)
    sheet.autofilter(2, 0, max(row - 1, 3), len(cover.headings) - 1)
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(2)
    sheet.set_footer("&L&A&RPage &P of &N")
    return row - 3, tables, left_out


def _write_summary(
    sheet: Any, cover: Cover, tables: _Tables, left_out: int, sheets: Sequence[Sheet], formats: _Formats
) -> None:
    sheet.hide_gridlines(2)
    sheet.set_column(0, 0, 30)
    sheet.set_column(1, 1, 26)
    sheet.set_column(2, 5, 13)
    sheet.write_string(0, 0, cover.title, formats.title)
    sheet.set_row(0, 26)
    sheet.write_string(1, 0, _made(cover), formats.quiet)
    row = 3
    for name, value in cover.facts:
        sheet.write_string(row, 0, name, formats.bold)
        sheet.write_string(row, 1, value, formats.plain)
        row += 1
    if left_out:
        sheet.write_string(row, 0, "Left out", formats.bold)
        sheet.write_string(row, 1, f"{left_out:,} columns: a sheet holds no more rows", formats.plain)
        row += 1
    row += 1
    for place, heading in enumerate(("Model", "Schema", "Tables", "Columns", "Described", "Share")):
        sheet.write_string(row, place, heading, formats.head)
    groups: dict[tuple[str, str], list[tuple[int, _Tally]]] = {}
    for place, ((model, schema, _), tally) in enumerate(tables.items(), 2):
        groups.setdefault((model, schema), []).append((place, tally))
    for (model, schema), found in groups.items():
        row += 1
        sheet.write_url(row, 0, f"internal:'Tables'!A{found[0][0]}", formats.link, model)
        sheet.write_string(row, 1, schema, formats.plain)
        columns, described = sum(one.columns for _, one in found), sum(one.described for _, one in found)
        for place, number in enumerate((len(found), columns, described), 2):
            sheet.write_number(row, place, number, formats.number)
        sheet.write_number(row, 5, described / columns, formats.percent)
    row += 1
    sheet.write_string(row, 0, "Total", formats.bold)
    totals = (len(tables), sum(one.columns for one in tables.values()), sum(one.described for one in tables.values()))
    for place, number in enumerate(totals, 2):
        sheet.write_number(row, place, number, formats.number)
    row += 1
    for one in sheets:
        row += 1
        sheet.write_url(row, 0, f"internal:'{one.name}'!A1", formats.link, one.name)
        sheet.write_number(row, 1, len(one.rows), formats.number)


def _write_sheet(sheet: Any, found: Sheet, formats: _Formats) -> None:
    for place, heading in enumerate(found.headings):
        sheet.write_string(0, place, heading, formats.head)
        longest = max((len(row[place]) for row in found.rows), default=0)
        sheet.set_column(place, place, max(len(heading) + 3, min(longest + 2, _WIDEST_SHEET)))
    for number, row in enumerate(found.rows[:_MOST_ROWS], 1):
        for place, text in enumerate(row):
            sheet.write_string(number, place, text[:_MOST_CHARACTERS], formats.wrap)
    sheet.freeze_panes(1, 1)
    sheet.autofilter(0, 0, max(len(found.rows), 1), len(found.headings) - 1)


def _write_tables(sheet: Any, tables: _Tables, formats: _Formats) -> None:
    headings = (("Model", 24), ("Schema", 18), ("Table", 32), ("Definition", 60), ("Columns", 10), ("Described", 10))
    for place, (heading, width) in enumerate(headings):
        sheet.write_string(0, place, heading, formats.head)
        sheet.set_column(place, place, width)
    for row, ((model, schema, name), tally) in enumerate(tables.items(), 1):
        sheet.write_string(row, 0, model, formats.plain)
        sheet.write_string(row, 1, schema, formats.plain)
        if row <= _MOST_LINKS:
            sheet.write_url(row, 2, f"internal:'Dictionary'!A{tally.row + 1}", formats.machine_link, name)
        else:
            sheet.write_string(row, 2, name, formats.plain)
        sheet.write_string(row, 3, tally.definition[:_MOST_CHARACTERS], formats.wrap)
        sheet.write_number(row, 4, tally.columns, formats.number)
        sheet.write_number(row, 5, tally.described, formats.number)
    sheet.freeze_panes(1, 3)
    sheet.autofilter(0, 0, max(len(tables), 1), len(headings) - 1)


def _write_legend(sheet: Any, formats: _Formats) -> None:
    sheet.hide_gridlines(2)
    sheet.set_column(0, 0, 10)
    sheet.set_column(1, 1, 18)
    sheet.set_column(2, 2, 80)
    meanings = (
        "Names a row; no two rows have the same. Every part of a composite key carries the mark.",
        "Refers to a row of another table, or of the same one.",
        "No two rows have the same value, or the same combination of values.",
    )
    for place, heading in enumerate(("Mark", "Key role", "Meaning")):
        sheet.write_string(0, place, heading, formats.head)
    for row, ((short, words), meaning) in enumerate(zip(LABELS.values(), meanings, strict=True), 1):
        sheet.write_string(row, 0, short, formats.bold)
        sheet.write_string(row, 1, words, formats.plain)
        sheet.write_string(row, 2, meaning, formats.wrap)


def _made(cover: Cover) -> str:
    return f"Made by {cover.made_by} on {cover.made_at:%d %B %Y, %H:%M} UTC"
