"""Spreadsheets that people hand in, read in a bounded child process: a few kilobytes can unpack to any size."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, TypeAlias

from indexa.adapters.archives import check_archive, open_archive
from indexa.adapters.confined import Child, ConfinedError
from indexa.adapters.errors import SourceError
from indexa.core.errors import CoreError

Row: TypeAlias = tuple[int, list[str]]
"""Line number and cells."""
MEGABYTES = 2048
SECONDS = 120.0
LARGEST_UNPACKED = 4 * 1024**3
_ROWS_AT_ONCE = 2_000


class SpreadsheetError(CoreError):
    """A file is no spreadsheet that can be read."""

    code = "spreadsheet.unreadable"


def sheet_rows(name: str, path: Path, hint: str) -> Iterator[Row]:
    """Yield the rows of the first sheet, cells as text.

    `hint` says what to do about a file that is too large. Raises SourceError for such a one, SpreadsheetError for what
    is no spreadsheet.
    """
    with Child(MEGABYTES) as child:
        try:
            for rows in child.stream("spreadsheet", name, str(path), hint, seconds=SECONDS):
                yield from ((number, cells) for number, cells in rows)
        except ConfinedError as error:
            raise SourceError("too-large", f"“{name}” can't be read: {error}.", hint) from None


def rows_of(name: str, path: str, hint: str) -> Iterator[list[Row]]:
    """Yield the rows by the thousand: what `sheet_rows` has its child do. Empty rows at the top are counted."""
    import python_calamine

    try:
        with Path(path).open("rb") as file, open_archive(name, file) as archive:
            check_archive(name, archive, LARGEST_UNPACKED, hint)
            file.seek(0)
            sheet = python_calamine.CalamineWorkbook.from_filelike(file).get_sheet_by_index(0)
    except (python_calamine.CalamineError, zipfile.BadZipFile, OSError, IndexError, ValueError) as error:
        raise SpreadsheetError(
            f"“{name}” can't be read as a spreadsheet: {type(error).__name__}. Save the result once more, as XLSX or CSV."
        ) from None
    first = (sheet.start or (0, 0))[0] + 1
    waiting: list[Row] = []
    for number, cells in enumerate(sheet.iter_rows(), first):
        waiting.append((number, [_text(cell) for cell in cells]))
        if len(waiting) == _ROWS_AT_ONCE:
            yield waiting
            waiting = []
    yield waiting


def _text(cell: Any) -> str:
    if isinstance(cell, float) and cell.is_integer() and abs(cell) < 2**53:
        return str(int(cell))
    return str(cell)
