"""The names of a model, or of lines of text, as places: a name with its table, comment and type."""

from __future__ import annotations

from collections.abc import Iterable

from indexa.core.model import Model
from indexa.core.naming.evidence import Join, Place


def places_of(model: Model) -> list[Place]:
    """Return each table of a model followed by its columns."""
    places = []
    for table in model.tables:
        places.append(Place(name=table.name, comment=table.comment or table.definition))
        for column in table.columns:
            message = column.comment or column.definition or column.remark
            places.append(Place(name=column.name, table=table.name, comment=message, type=column.type))
    return places


def joins_of(models: Iterable[Model]) -> list[Join]:
    """Return the pairs of names that foreign keys join: a column with what it refers to."""
    return [
        Join(table.name, column, foreign.ref_table, ref_column)
        for model in models
        for table in model.tables
        for foreign in table.foreign_keys
        for column, ref_column in zip(foreign.columns, foreign.ref_columns, strict=False)
    ]
