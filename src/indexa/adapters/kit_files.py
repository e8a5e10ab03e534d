"""Files with the result of a field kit: delimited text in any encoding, or a spreadsheet."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from indexa.adapters.errors import SourceError
from indexa.adapters.script_files import find_encoding
from indexa.adapters.spreadsheets import Row, sheet_rows
from indexa.core.intake.kit import KitError, rows_of_text

LARGEST = 1024**3
_FEWER = "Run the kit for fewer schemas at a time."


def kit_rows(name: str, path: Path) -> Iterator[Row]:
    """Yield the rows of a kit's result. Raises SourceError, or CoreError where the file is something else."""
    return file_rows(name, path, rows_of_text, _FEWER)


def file_rows(name: str, path: Path, of_text: Callable[[str], Iterator[Row]], hint: str) -> Iterator[Row]:
    """Yield the rows of a spreadsheet, or of a text in any encoding, which `of_text` takes apart.

    `hint` says what to do about a file that is too large. Raises SourceError, or CoreError where the file is neither.
    """
    size = path.stat().st_size
    if size > LARGEST:
        raise SourceError("too-large", f"“{name}” is larger than {LARGEST // 1024**2} MB.", hint)
    with path.open("rb") as file:
        magic = file.read(4)
    if magic == b"PK\x03\x04":
        yield from sheet_rows(name, path, hint)
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
    text = str(error).rstrip(".")
    return f"{text}." if name in text else f"{name}: {text}."
