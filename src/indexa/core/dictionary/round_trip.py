"""A selection of the dictionary that colleagues edit in any spreadsheet program: written, read back, compared three-way.

Each row has a key that stays with it, whatever people sort, move, insert, hide or retype around it; each column is found by
its heading. What counts is what somebody wrote: a cell that is as it was exported says nothing.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from decimal import Decimal, InvalidOperation
from typing import IO, Any, TypeAlias

import msgspec
import xlsxwriter

from indexa.core.errors import CoreError

KEY, MARK = "Key", "Indexa sheet "
FIXED = {"Model": 14, "Schema": 12, "Table": 24, "Column": 26, "Type": 18, "Comment in the source": 36}
"""Headings of what is only shown of columns, with their widths in letters. The key stands before them."""
_KEY_WIDTH = 9
NEW = "new "
"""What the keys of rows begin with that somebody added; the line follows."""
_LOOKED_AT = 40
"""Rows at the top in which headings and mark are looked for."""
_MOST_CHARACTERS = 32_000
_MOST_CHOICES = 60
_INK, _ACCENT, _BAND = "#1D2A30", "#1B5E63", "#F3EEE1"

Values: TypeAlias = dict[str, str]
"""Of one object by field."""


class SheetField(msgspec.Struct, frozen=True):
    """A column that is edited: the name of the field, its heading, its width in letters, and what can be chosen ("" for anything)."""

    name: str
    title: str
    width: int = 24
    choices: tuple[str, ...] = ()


class SheetRow(msgspec.Struct):
    """An object of the sheet: its key, what is shown of it (in the order of the fixed headings), and its values."""

    key: str
    shown: tuple[str, ...]
    values: Values
    is_table: bool = False


class SheetError(CoreError):
    """A file is no sheet of the dictionary; the message says why and what to do."""

    code = "sheet.unreadable"


class SheetContent(msgspec.Struct):
    """What a sheet holds: its mark, values by key with the line each stands in, and remarks on lines that say nothing."""

    mark: str
    rows: dict[str, tuple[int, Values]]
    remarks: list[str]


class CellChange(msgspec.Struct):
    """A cell that somebody wrote: what it was when exported, what the sheet says, and what it is by now."""

    key: str
    field: str
    line: int
    exported: str
    written: str
    now: str

    @property
    def is_conflict(self) -> bool:
        """Whether it was changed here too, to something else."""
        return self.now != self.exported


def write_sheet(
    stream: IO[bytes], mark: str, title: str, fields: Sequence[SheetField], rows: Iterable[SheetRow],
    fixed: Mapping[str, int] = FIXED,
) -> int:  # fmt: skip
    """Write a sheet and return how many rows it has. Memory stays flat; no cell can become a formula.

    `fixed` are the headings of what is only shown, with their widths.
    """
    shown_widths = {KEY: _KEY_WIDTH} | dict(fixed)
    book = xlsxwriter.Workbook(
        stream, {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    base = {"font_name": "Calibri", "font_size": 10, "font_color": _INK, "valign": "top"}
    head = book.add_format(base | {"bold": True, "bg_color": _ACCENT, "font_color": "#FFFFFF", "bottom": 1})
    quiet = book.add_format(base | {"font_color": "#55626A"})
    shown = {
        band: book.add_format(base | ({"bg_color": _BAND} if band else {}) | {"font_name": "Consolas"})
        for band in (False, True)
    }
    edited = {
        band: book.add_format(
            base | ({"bg_color": _BAND, "bold": True} if band else {}) | {"text_wrap": True, "bottom": 4}
        )
        for band in (False, True)
    }
    sheet = book.add_worksheet("Describe")
    for at, width in enumerate(shown_widths.values()):
        sheet.set_column(at, at, width)
    for at, field in enumerate(fields, len(shown_widths)):
        sheet.set_column(at, at, field.width)
    sheet.write_string(0, 0, f"{MARK}{mark}", quiet)
    sheet.write_string(0, 1, f"{title}. Edit the columns with wrapped texts; leave the keys as they are.", quiet)
    for at, name in enumerate([*shown_widths, *(field.title for field in fields)]):
        sheet.write_string(2, at, name, head)
    line = 2
    for line, row in enumerate(rows, 3):
        for at, text in enumerate((row.key, *row.shown)):
            sheet.write_string(line, at, text[:_MOST_CHARACTERS], shown[row.is_table])
        for at, field in enumerate(fields, len(shown_widths)):
            sheet.write_string(line, at, row.values.get(field.name, "")[:_MOST_CHARACTERS], edited[row.is_table])
    for at, field in enumerate(fields, len(shown_widths)):
        if 0 < len(field.choices) <= _MOST_CHOICES and len(",".join(field.choices)) < 250 and line > 2:
            sheet.data_validation(
                3, at, line, at, {"validate": "list", "source": list(field.choices), "error_type": "warning"}
            )
    sheet.freeze_panes(3, min(5, len(shown_widths)))
    sheet.autofilter(2, 0, max(line, 3), len(shown_widths) + len(fields) - 1)
    book.close()
    return line - 2


def read_sheet(
    lines: Iterable[tuple[int, Sequence[str]]], fields: Sequence[SheetField], *, takes_new: bool = False
) -> SheetContent:
    """Read a sheet that came back; with `takes_new`, rows without a key are new objects, under a key that begins with NEW.

    Raises SheetError where its headings or its mark are not found, or a key stands twice with two texts.
    """
    found = iter(lines)
    mark, places = _head(found, fields)
    content = SheetContent(mark, {}, [])
    for line, cells in found:
        key = _cell(cells, places[KEY])
        values = {name: _cell(cells, at) for name, at in places.items() if name != KEY}
        if not key:
            if any(values.values()) and takes_new:
                content.rows[f"{NEW}{line}"] = (line, values)
            elif any(values.values()):
                content.remarks.append(f"Line {line} has no key: new rows are made in the model, not in the sheet.")
            continue
        if key not in content.rows:
            content.rows[key] = (line, values)
        elif content.rows[key][1] != values:
            raise SheetError(
                f"The key {key} stands in line {content.rows[key][0]} and in line {line}, with different texts. "
                "Remove one of the two and hand the sheet in again."
            )
    return content


def mark_of(lines: Iterable[tuple[int, Sequence[str]]]) -> str:
    """Return the mark of a sheet, by which its export is known. Raises SheetError where it has none."""
    for number, (_, cells) in enumerate(lines):
        for cell in cells:
            if cell.strip().startswith(MARK):
                return cell.strip().removeprefix(MARK).split(" ")[0]
        if number >= _LOOKED_AT:
            break
    raise SheetError(_NO_SHEET)


_NO_SHEET = (
    "This is no sheet that was exported here to be edited: its first lines lack the mark or the headings. "
    "Export the selection again as “Sheet to edit”, and copy the texts over."
)


def _head(lines: Iterator[tuple[int, Sequence[str]]], fields: Sequence[SheetField]) -> tuple[str, dict[str, int]]:
    """Return the mark, and where each field stands."""
    titles = {_plain(field.title): field.name for field in fields} | {_plain(KEY): KEY}
    mark = ""
    for number, (_, cells) in enumerate(lines):
        marks = [cell for cell in cells if cell.strip().startswith(MARK)]
        mark = mark or (marks[0].strip().removeprefix(MARK) if marks else "")
        places: dict[str, int] = {}
        for at, cell in enumerate(cells):
            name = titles.get(_plain(cell))
            if name is not None:
                places.setdefault(name, at)
        if KEY in places and len(places) > 1:
            if not mark:
                break
            return mark, places
        if number >= _LOOKED_AT:
            break
    raise SheetError(_NO_SHEET)


def _plain(text: str) -> str:
    return " ".join(text.split()).casefold()


def _cell(cells: Sequence[str], at: int) -> str:
    text = cells[at] if at < len(cells) else ""
    return text.replace("\r\n", "\n").replace("\r", "\n").replace("\x00", "").strip()


def changes(
    exported: Mapping[str, Mapping[str, str]], sheet: SheetContent, now: Mapping[str, Mapping[str, str]]
) -> list[CellChange]:
    """Return what somebody wrote, in the order of the sheet; what is here already as the sheet has it is no change."""
    found = []
    for key, (line, values) in sheet.rows.items():
        if key.startswith(NEW):
            found += [CellChange(key, field, line, "", written, "") for field, written in values.items() if written]
            continue
        before, current = exported.get(key), now.get(key)
        if before is None or current is None:
            continue
        for field, written in values.items():
            was = _cell([before.get(field, "")], 0)
            is_now = current.get(field, "")
            if field in before and not _same(written, was) and not _same(written, is_now):
                found.append(CellChange(key, field, line, before.get(field, ""), written, is_now))
    return found


def _same(one: str, other: str) -> bool:
    """Return whether two texts say the same: programs that save a sheet change blanks at the ends of lines, and retype numbers."""
    return _lines(one) == _lines(other) or (_number(one) is not None and _number(one) == _number(other))


def _number(text: str) -> Decimal | None:
    try:
        return Decimal(text) if len(text) < 40 else None
    except InvalidOperation:
        return None


def _lines(text: str) -> list[str]:
    return [line.rstrip() for line in text[:_MOST_CHARACTERS].strip().split("\n")]


def unmatched(
    exported: Mapping[str, Mapping[str, str]], sheet: SheetContent, now: Mapping[str, Any], titles: Mapping[str, str]
) -> list[str]:
    """Return remarks on what can't be matched: keys that were never exported, objects that are gone since, and cells of fields that
    an object does not have; `titles` are the headings by field."""
    found = list(sheet.remarks)
    for key, (line, values) in sheet.rows.items():
        if key.startswith(NEW):
            continue
        for field in sorted(field for field, text in values.items() if text and field not in exported.get(key, values)):
            found.append(
                f"Line {line}: {titles.get(field, field)} can't be said of {'tables' if key[0] == 't' else 'columns'}."
            )
        if key not in exported:
            found.append(f"Line {line}: the key {key[:40]} is none of this sheet's.")
        elif key not in now:
            found.append(f"Line {line}: {key} is no longer here.")
    return found
