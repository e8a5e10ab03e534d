"""What models have to say on the desk, and where tables and columns are used."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.areas.visits import last_here
from indexa.changes.models import ChangeSet
from indexa.modeling import queries
from indexa.modeling.uses import all_uses
from indexa.store.models import Layer, StoredColumn, StoredModel, StoredTable
from indexa.ui.panels import panel

_NEWS = 8


@panel("desk", order=8, template="modeling/_since.html")
def changed_since(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return what others changed since a person was here last."""
    before = last_here(area, request.user.pk)
    if before is None:
        return None
    found = ChangeSet.objects.filter(area=area, at__gt=before).exclude(person=request.user.pk)
    count = found.count()
    if not count:
        return None
    return {
        "before": before,
        "changes": queries.shown_sets(found.order_by("-pk")[:_NEWS]),
        "total": count,
    }


@panel("desk aside", order=10, template="modeling/_desk.html")
def models_of_area(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return each physical model with what it holds and how far it is described."""
    models = list(StoredModel.objects.filter(area=area, layer=Layer.PHYSICAL))
    coverage = queries.coverage(models)
    return {"models": [(model, coverage[model.pk]) for model in models]} if models else None


@panel("column margin", order=40, template="modeling/_uses.html")
def uses_of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return every place where a column appears."""
    return {"uses": all_uses(request, column.table, column)}


@panel("table margin", order=40, template="modeling/_uses.html")
def uses_of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return every place where a table appears."""
    return {"uses": all_uses(request, table)}
