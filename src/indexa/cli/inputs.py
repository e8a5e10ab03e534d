"""What commands are given: models out of anything that holds one, naming standards and wordbooks."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from indexa.core.errors import CoreError
from indexa.core.model import Model
from indexa.core.naming.standard import Standard
from indexa.core.naming.wordbook import Stack

_LARGEST_STANDARD = 50_000_000


def model_of(name: str, dialect: str = "") -> Model:
    """Return the model of a model file, or of anything that `indexa read` takes. Raises SourceError and CoreError.

    `dialect` is that of a script; "" where it is found out.
    """
    path = Path(name)
    if path.suffix == ".json" and path.is_file():
        from indexa.core.model.file import read

        return read(path.read_bytes())
    from indexa.cli.read import read_source

    return read_source([name], dialect)


def standard_and_words(standard: str, wordbooks: Sequence[str]) -> tuple[Standard, Stack]:
    """Return a naming standard, the plain one where no file is named, and all words. Raises CoreError, OSError."""
    from indexa.adapters.wordbook_files import read_wordbook_file
    from indexa.core.naming.standard import DEFAULT, read_standard

    found = DEFAULT
    if standard:
        path = Path(standard)
        if path.is_file() and path.stat().st_size > _LARGEST_STANDARD:
            raise CoreError(f"{path} is larger than {_LARGEST_STANDARD // 1_000_000} MB: no naming standard.")
        found = read_standard(path.read_bytes())
    return found, Stack([*(read_wordbook_file(Path(name)) for name in wordbooks), found.wordbook])
