"""Uploaded scripts and kit results, read in the shape of an open database."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from indexa.adapters.errors import SourceError
from indexa.adapters.kit_files import kit_rows
from indexa.adapters.script_files import open_scripts
from indexa.core import platforms
from indexa.core.errors import CoreError
from indexa.core.infer.data import DataSaid
from indexa.core.infer.questions import Questions
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.kit import read_kit
from indexa.core.intake.receipt import Receipt
from indexa.core.model import VIEW_KINDS, Model
from indexa.core.platforms import RefusedError, Tick
from indexa.core.scripts.reader import ScriptFile, read_scripts
from indexa.sources.models import Source


@contextmanager
def open_upload(source: Source, report: Tick) -> Iterator[UploadReading]:
    """Open the files of a source; `tell` hears how far a look into them is. Raises SourceError, also from within."""
    paths = [(file.name, Path(file.content.path)) for file in source.files.all()]
    if not paths:
        raise SourceError("no-file", "This source has no file.", "Change the source and add the file.")
    try:
        if source.kind == Source.Kind.KIT:
            yield KitReading(source, report, *paths[0])
        else:
            with open_scripts(paths, source.encoding) as files:
                yield ScriptReading(source, report, files)
    except CoreError as error:
        raise SourceError("unreadable", str(error), "Nothing was kept of this reading.") from None


class UploadReading:
    """What counts and lists of an upload have in common: it is read once, whole, to look what it holds."""

    version = ""

    def __init__(self, source: Source, report: Tick) -> None:
        self._source, self._tell = source, report
        self._whole: Model | None = None

    def limits(self) -> list[str]:
        """Nothing is kept from a reader of a file."""
        return []

    def ask_rows(self, asked: Questions, report: Tick, seconds: float) -> DataSaid:
        """An upload holds no rows to ask."""
        del asked, report, seconds
        return DataSaid(said=["An upload holds no rows to ask; names and structure alone were used."])

    def read_codes(self, schema: str, table: str, code: str, meaning: str) -> list[tuple[str, str]]:
        """An upload holds no rows to read."""
        raise RefusedError("an upload holds no rows to read")

    def _look(self) -> Model:
        if self._whole is None:
            self._whole = self.read(Choice(), self._tell, "")[0]
        return self._whole

    def count(self) -> list[SchemaCount]:
        """Count what each schema holds."""
        model = self._look()
        found: dict[str, dict[str, int]] = {}
        kinds = platforms.get(self._source.platform).kinds

        def add(schema: str, kind: str, number: int = 1) -> None:
            if kind in kinds and number:
                counts = found.setdefault(schema, dict.fromkeys(kinds, 0))
                counts[kind] += number

        for table in model.tables:
            add(table.schema, "views" if table.kind in VIEW_KINDS else "tables")
            add(table.schema, "triggers", len(table.triggers))
        kept: dict[str, list[Any]] = {
            "types": [*model.enums, *model.domains, *model.composites, *model.ranges],
            "sequences": [*model.sequences],
            "routines": [*model.routines],
        }
        for kind, parts in kept.items():
            for part in parts:
                add(part.schema, kind)
        return [SchemaCount(schema, counts) for schema, counts in sorted(found.items())]

    def table_names(self, choice: Choice) -> list[tuple[str, str, bool]]:
        """List what the choice takes."""
        return [(one.schema, one.name, one.kind in VIEW_KINDS) for one in self._look().tables if choice.takes(one)]

    def read(self, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        raise NotImplementedError


class ScriptReading(UploadReading):
    """Open scripts, in their order."""

    def __init__(self, source: Source, report: Tick, files: list[ScriptFile]) -> None:
        super().__init__(source, report)
        self._files = files

    def read(self, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Replay the scripts."""
        dialect = platforms.get(self._source.platform).dialect
        model, receipt = read_scripts(
            self._files, dialect, tick, name, choice=choice, default_schema=self._source.default_schema or None
        )
        for file in self._files:
            if file.encoding == "cp1252" and not self._source.encoding:
                receipt.note(
                    "adapted", "encodings", "The file is not UTF-8; it was read as Windows-1252.", place=file.name
                )
        return model, receipt


class KitReading(UploadReading):
    """The result of a field kit."""

    def __init__(self, source: Source, report: Tick, name: str, path: Path) -> None:
        super().__init__(source, report)
        self._name, self._path = name, path

    def read(self, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Read the rows."""
        platform = platforms.get(self._source.platform)
        return read_kit(
            kit_rows(self._name, self._path), platform.name, choice, tick, name, platform.dialect.canonical_type
        )
