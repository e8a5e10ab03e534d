"""Files with the result of a field kit: delimited text in any encoding, or a spreadsheet."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path

from indexa.adapters.errors import SourceError
from indexa.adapters.script_files import find_encoding
from indexa.core.intake.kit import KitError, rows_of_text

LARGEST = 1024**3
LARGEST_UNPACKED = 4 * 1024**3


def kit_rows(name: str, path: Path) -> Iterator[tuple[int, list[str]]]:
    """Yield line number and cells of each row. Raises SourceError, or KitError where the file is something else."""
    size = path.stat().st_size
    if size > LARGEST:
        raise SourceError(
            "too-large", f"“{name}” is larger than {LARGEST // 1024**2} MB.", "Run the kit for fewer schemas at a time."
        )
    with path.open("rb") as file:
        magic = file.read(4)
    if magic == b"PK\x03\x04":
        yield from _sheet_rows(name, path)
        return
    content = path.read_bytes()
    if content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        text = content.decode("utf-16", "replace")
    else:
        if b"\0" in content[:4096]:
            raise KitError(f"“{name}” is no text and no XLSX. Save the result as CSV or XLSX.")
        text = content.decode(find_encoding(content), "replace").removeprefix("\ufeff")
    yield from rows_of_text(text)


def _sheet_rows(name: str, path: Path) -> Iterator[tuple[int, list[str]]]:
    from openpyxl import load_workbook

    try:
        with zipfile.ZipFile(path) as archive:
            if sum(one.file_size for one in archive.infolist()) > LARGEST_UNPACKED:
                raise SourceError(
                    "too-large",
                    f"“{name}” is too large once it is unpacked.",
                    "Run the kit for fewer schemas at a time.",
                )
        book = load_workbook(path, read_only=True, data_only=True)
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
