"""What is said of a model, a table and a column, on their pages."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest
from django.urls import reverse

from indexa.describing.views import shown
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.ui.panels import panel

_MOST_SCHEMAS = 100


@panel("column margin", order=10, template="describing/_sayings.html")
def of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return what holds for a column."""
    return _shown(request, "column", column.pk)


@panel("table margin", order=10, template="describing/_sayings.html")
def of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return what holds for a table."""
    return _shown(request, "table", table.pk)


@panel("meaning margin", order=10, template="describing/_sayings.html")
def of_meaning(request: HttpRequest, subject: tuple[str, int]) -> dict[str, Any] | None:
    """Return what holds for a term."""
    return _shown(request, *subject)


@panel("model more", order=8, template="describing/_model_sayings.html")
def of_model(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return what holds for a model, and the sections of its schemas."""
    found = _shown(request, "model", model.pk)
    if found is None:
        return None
    tables = StoredTable.objects.filter(model=model, removed_at__isnull=True).exclude(schema="")
    address = reverse("describing:say", args=[model.area.slug, "schema", model.pk])
    names = tables.values_list("schema", flat=True).distinct().order_by("schema")[:_MOST_SCHEMAS]
    return found | {"schemas": [(name, f"{address}?{urlencode({'schema': name})}") for name in names]}


def _shown(request: HttpRequest, level: str, object_id: int) -> dict[str, Any] | None:
    found = shown(request, level, object_id)
    return found if found["sayings"] else None
