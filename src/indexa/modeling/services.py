"""What can be done with a model as a whole."""

from __future__ import annotations

from django.db import transaction

from indexa.areas.models import Area
from indexa.store.bulk import delete_model
from indexa.store.models import Layer, StoredColumn, StoredModel


class ModelInUseError(Exception):
    """A logical model that physical ones realise can't be deleted."""


@transaction.atomic
def delete(*, area: Area, model_id: int) -> str:
    """Delete a model and return its name. Its logical model stays unless nothing realises it any more
    and nobody has written a word into it.
    """
    model = StoredModel.objects.select_for_update().get(pk=model_id, area=area)
    if model.layer == Layer.LOGICAL and model.physical_models.exists():
        raise ModelInUseError(
            f"“{model.name}” is realised by {', '.join(str(m) for m in model.physical_models.all())}. "
            "Delete those first."
        )
    logical = model.logical
    name = model.name
    delete_model(model.pk)
    model.delete()
    if logical and not logical.physical_models.exists() and not _has_words(logical):
        delete_model(logical.pk)
        logical.delete()
    return name


def _has_words(model: StoredModel) -> bool:
    columns = StoredColumn.objects.filter(table__model=model)
    return any(items.exclude(business_name="", definition="").exists() for items in (model.tables, columns))
