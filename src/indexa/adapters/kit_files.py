"""Files with the result of a field kit: delimited text in any encoding, or a spreadsheet."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TypeAlias

from indexa.adapters.errors import SourceError
from indexa.adapters.script_files import find_encoding
from indexa.core.intake.kit import KitError, rows_of_text

LARGEST = 1024**3
LARGEST_UNPACKED = 4 * 1024**3


Row: TypeAlias = tuple[int, list[str]]
"""Line number and cells."""
_FEWER = "Run the kit for fewer schemas at a time."


def kit_rows(name: str, path: Path) -> Iterator[Row]:
    """Yield the rows of a kit's result. Raises SourceError, or KitError where the file is something else."""
    return file_rows(name, path, rows_of_text, _FEWER)


def file_rows(name: str, path: Path, of_text: Callable[[str], Iterator[Row]], hint: str) -> Iterator[Row]:
    """Yield the rows of a spreadsheet, or of a text in any encoding, which `of_text` takes apart.

    `hint` says what to do about a file that is too large. Raises SourceError, or KitError where the file is neither.
    """
    size = path.stat().st_size
    if size > LARGEST:
        raise SourceError("too-large", f"“{name}” is larger than {LARGEST // 1024**2} MB.", hint)
    with path.open("rb") as file:
        magic = file.read(4)
    if magic == b"PK\x03\x04":
        yield from _sheet_rows(name, path, hint)
        return
    content = path.read_bytes()
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        text = content.decode("utf-16", "replace")
    else:
        if b"\0" in content[:4096]:
            raise KitError(f"“{name}” is no text and no XLSX. Save the result as CSV or XLSX.")
        text = content.decode(find_encoding(content), "replace").removeprefix("\ufeff")
    yield from of_text(text)


def fault_of(name: str, error: Exception) -> str:
    """Return what is wrong with a file as a sentence that names it."""
    told = str(error).rstrip(".")
    return f"{told}." if name in told else f"{name}: {told}."


def _sheet_rows(name: str, path: Path, hint: str) -> Iterator[Row]:
    from openpyxl import load_workbook

    try:
        with zipfile.ZipFile(path) as archive:
            if sum(one.file_size for one in archive.infolist()) > LARGEST_UNPACKED:
                raise SourceError("too-large", f"“{name}” is too large once it is unpacked.", hint)
        with path.open("rb") as file:  # not by its name: an upload has none that the library would take
            book = load_workbook(file, read_only=True, data_only=True)
            try:
                sheet = book.active or book.worksheets[0]
                for number, cells in enumerate(sheet.iter_rows(values_only=True), 1):
                    yield number, ["" if cell is None else str(cell) for cell in cells]
            finally:
                book.close()
    except SourceError:
        raise
    except Exception as error:  # the library raises what it meets in a file that was made to break it
        raise KitError(
            f"“{name}” can't be read as a spreadsheet: {type(error).__name__}. Save the result once more, as XLSX or CSV."
        ) from None
