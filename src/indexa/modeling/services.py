"""What can be done with a model as a whole."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import connection, transaction

from indexa.areas.models import Area
from indexa.store.bulk import delete_model
from indexa.store.models import Layer, StoredColumn, StoredModel, StoredTable


class ModelInUseError(Exception):
    """A logical model that physical ones implement can't be deleted."""


@transaction.atomic
def delete(*, area: Area, model_id: int, with_logical: bool = False) -> str:
    """Delete a model and return its name; its logical model with it only if that is asked for and nothing else uses it."""
    model = StoredModel.objects.select_for_update().get(pk=model_id, area=area)
    if model.layer == Layer.LOGICAL and model.physical_models.exists():
        raise ModelInUseError(
            f"“{model.name}” is implemented by {', '.join(str(m) for m in model.physical_models.all())}. "
            "Delete those first."
        )
    logical = model.logical
    name = model.name
    delete_model(model.pk)
    model.delete()
    if with_logical and logical and not logical.physical_models.exists():
        delete_model(logical.pk)
        logical.delete()
    return name


@dataclass(frozen=True, slots=True)
class UnusedLogical:
    """The logical model that nothing would implement once a physical one is deleted, and the words people wrote in it."""

    model: StoredModel
    words: int


def unused_logical(model: StoredModel) -> UnusedLogical | None:
    """Return the logical model that would be left alone, None where there is none."""
    logical = model.logical
    if logical is None or logical.physical_models.exclude(pk=model.pk).exists():
        return None
    columns = StoredColumn.objects.filter(table__model=logical)
    named = sum(items.exclude(business_name="").count() for items in (logical.tables, columns))
    described = sum(items.exclude(definition="").count() for items in (logical.tables, columns))
    return UnusedLogical(logical, named + described)


def count_view(table: StoredTable) -> None:
    """Count that the page of a table was opened."""
    with connection.cursor() as cursor:
        cursor.execute(
            "insert into table_views (table_id, count) values (%s, 1) "
            "on conflict (table_id) do update set count = table_views.count + 1",
            [table.pk],
        )
