"""New models with a content: a copy of another one, or what a model file holds."""

from __future__ import annotations

from typing import Any

import msgspec
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from indexa.areas.models import Area
from indexa.building.services import create_model
from indexa.core.building.parts import BuildError
from indexa.core.errors import CoreError
from indexa.core.model import Model
from indexa.core.model.file import read
from indexa.jobs.progress import Silent
from indexa.store.bulk import refresh_statistics, reserve_ids
from indexa.store.models import Layer, StoredColumn, StoredModel, StoredTable
from indexa.store.rows import RowWriter
from indexa.store.signals import send_model_changed

LARGEST_FILE = 50_000_000
MOST_COLUMNS = 200_000
"""More are read as a source, in the background."""


def model_of_file(file: UploadedFile[bytes]) -> Model:
    """Return the model of an uploaded model file. Raises BuildError for one that is too large or is none."""
    if (file.size or 0) > LARGEST_FILE:
        raise BuildError(f"The file is larger than {LARGEST_FILE // 1_000_000} MB.")
    try:
        return read(file.read())
    except CoreError as error:
        raise BuildError(f"This is no model file. {error}") from error


@transaction.atomic
def store_copy(*, area: Area, name: str, layer: str, platform: str, model: Model) -> StoredModel:
    """Store a model as a new one that is built by hand, with its words; it follows no source. Raises BuildError."""
    if sum(len(table.columns) for table in model.tables) > MOST_COLUMNS:
        raise BuildError(
            f"A model of more than {MOST_COLUMNS:,} columns can't be begun with. Read it as a source instead."
        )
    made = create_model(area=area, name=name, layer=layer, platform=platform or model.platform)
    made.schemas, made.comment = msgspec.to_builtins(model.schemas), model.comment
    made.save(update_fields=["schemas", "comment"])
    _give_ids(model)
    writer = RowWriter(made.platform, Silent(), {}, {})
    stands_in = Layer.LOGICAL if layer == Layer.LOGICAL else Layer.PHYSICAL
    writer.copy_tables(made.pk, model.tables, stands_in)
    writer.copy_columns(model.tables, stands_in)
    writer.copy_owned(model.tables)
    writer.copy_objects(made.pk, model)
    _write_words(model)
    refresh_statistics()
    send_model_changed(models=[made.pk])
    return made


def _give_ids(model: Model) -> None:
    """Give all tables and columns ids of their own; links to other models are cut."""
    columns = [column for table in model.tables for column in table.columns]
    ids: dict[str, str] = {}
    for number, table in zip(reserve_ids("model_table", len(model.tables)), model.tables, strict=True):
        table.id, table.realises, table.origin = f"t{number}", "", ""
    for number, column in zip(reserve_ids("model_column", len(columns)), columns, strict=True):
        ids[column.id] = f"c{number}"
        column.id, column.realises, column.origin = f"c{number}", "", ""
    for column in columns:
        column.migrated_from = ids.get(column.migrated_from, "") if column.migrated_from else ""


def _write_words(model: Model) -> None:
    kinds: tuple[tuple[Any, Any], ...] = (
        (StoredTable, model.tables),
        (StoredColumn, [column for table in model.tables for column in table.columns]),
    )
    for stored, parts in kinds:
        worded = [
            stored(pk=int(part.id[1:]), business_name=part.business_name, definition=part.definition)
            for part in parts
            if part.business_name or part.definition
        ]
        stored.objects.bulk_update(worded, ["business_name", "definition"], batch_size=2_000)
