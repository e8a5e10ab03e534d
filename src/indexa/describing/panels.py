"""What is said of a model, a table and a column, on their pages."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.describing.views import shown
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.ui.panels import panel


@panel("column margin", order=10, template="describing/_sayings.html")
def of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return what holds for a column."""
    return _shown(request, "column", column.pk)


@panel("table margin", order=10, template="describing/_sayings.html")
def of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return what holds for a table."""
    return _shown(request, "table", table.pk)


@panel("model more", order=8, template="describing/_sayings.html")
def of_model(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return what holds for a model."""
    return _shown(request, "model", model.pk)


def _shown(request: HttpRequest, level: str, object_id: int) -> dict[str, Any] | None:
    found = shown(request, level, object_id)
    return found if found["sayings"] else None
