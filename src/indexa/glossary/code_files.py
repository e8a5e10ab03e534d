"""Files of codes: delimited text or a spreadsheet, codes in the first column and their meanings beside them."""

from __future__ import annotations

import csv
import io
import tempfile
from collections.abc import Iterator
from pathlib import Path

from django.core.files.uploadedfile import UploadedFile

from indexa.adapters.errors import SourceError
from indexa.adapters.kit_files import fault_of, file_rows
from indexa.core.errors import CoreError
from indexa.core.glossary import codes
from indexa.core.glossary.codes import CodeProblem
from indexa.store.errors import EditError

LARGEST = 10 * 1024 * 1024
_HEADINGS = frozenset({"code", "codes", "value", "key", "id"})
_HINT = f"A code list keeps {codes.MOST_CODES:,} codes: leave out what is none."


def codes_text(file: UploadedFile[bytes]) -> str:
    """Return the codes of a file as lines, as they are typed. Raises EditError for a file that holds none, or too many."""
    name = file.name or "file"
    if (file.size or 0) > LARGEST:
        raise EditError(f"{name} is larger than {LARGEST // 1024**2} MB. {_HINT}")
    with tempfile.NamedTemporaryFile(suffix=".codes") as kept:
        kept.write(file.read())
        kept.flush()
        try:
            found = codes.codes_of(_without_heading(file_rows(name, Path(kept.name), _rows_of_text, _HINT)))
        except SourceError as error:
            raise EditError(f"{error.message} {error.hint}") from error
        except CoreError as error:
            raise EditError(fault_of(name, error)) from error
    if not found:
        raise EditError(f"{name} holds no codes: they stand in its first column.")
    return codes.as_text(found)


def _without_heading(rows: Iterator[tuple[int, list[str]]]) -> Iterator[tuple[int, list[str]]]:
    for place, (number, cells) in enumerate(rows):
        if place > codes.MOST_CODES:
            raise CodeProblem(f"more than {codes.MOST_CODES:,} rows")
        if place or (cells and cells[0].strip().lower() not in _HEADINGS):
            yield number, [cell.removeprefix("'") for cell in cells]


def _rows_of_text(text: str) -> Iterator[tuple[int, list[str]]]:
    first = text.split("\n", 1)[0]
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=max(",;\t", key=first.count))
    try:
        for cells in reader:
            yield reader.line_num, cells
    except csv.Error as error:
        raise CodeProblem(f"line {reader.line_num} can't be read: {error}") from None
