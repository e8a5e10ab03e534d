"""Wordbooks in files: a two-column list as delimited text in any encoding, or as a spreadsheet."""

from __future__ import annotations

from pathlib import Path

from indexa.adapters.errors import SourceError
from indexa.adapters.kit_files import fault_of, file_rows
from indexa.core.errors import CoreError
from indexa.core.naming.wordbook import Wordbook
from indexa.core.naming.wordbook_rows import Reading, read_rows, rows_of_list

_HINT = "A wordbook is a list with a word and its short form in a row."


def read_wordbook_file(path: Path) -> Wordbook:
    """Read a wordbook. Raises SourceError where the file is missing or is none."""
    return read_wordbook(path.name, path).wordbook


def read_wordbook(name: str, path: Path) -> Reading:
    """Read a wordbook with the notes on its rows. Raises SourceError where the file is missing or is none."""
    if not path.is_file():
        raise SourceError("no-file", f"There is no file {path}.", _HINT)
    try:
        return read_rows(file_rows(name, path, rows_of_list, "Split the list."), Path(name).stem)
    except CoreError as error:
        raise SourceError("not-a-wordbook", fault_of(name, error), _HINT) from error
