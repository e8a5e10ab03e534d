"""What building has to say on the lists and pages of models and tables, and on diagrams."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Area, Role
from indexa.building.objects import kinds_for
from indexa.core.model import VIEW_KINDS
from indexa.diagrams.models import Diagram
from indexa.store.models import Layer, StoredModel, StoredTable
from indexa.ui.panels import panel


def _may_edit(request: HttpRequest) -> bool:
    return getattr(request, "role", Role.READER) >= Role.STEWARD


@panel("models", order=1, template="building/_models.html")
def models_acts(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return the way to a new model, for those who may make one."""
    return {} if _may_edit(request) else None


@panel("model", order=2, template="building/_model.html")
def model_acts(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return what can be made of a model: physical models of a logical one, DDL of a physical one."""
    return {"model": model, "is_logical": model.layer == Layer.LOGICAL}


@panel("objects", order=1, template="building/_objects.html")
def new_objects(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return the kinds of objects that can be written in a model."""
    if not _may_edit(request):
        return None
    is_physical = model.layer == Layer.PHYSICAL
    return {"model": model, "kinds": kinds_for(model, of_table=False), "is_physical": is_physical}


@panel("table", order=1, template="building/_view_here.html", anchor="build", label="Edit")
def query_of_a_view(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the view whose query can be changed."""
    return {"table": table} if table.kind == "view" and _may_edit(request) else None


@panel("diagram", order=1, template="building/_diagram.html")
def drawing_tools(request: HttpRequest, diagram: Diagram) -> dict[str, Any] | None:
    """Return the tools for drawing tables and relationships."""
    model = diagram.model
    if not _may_edit(request):
        return None
    return {"diagram": diagram, "model": model, "word": "entity" if model.layer == Layer.LOGICAL else "table"}


def _editor(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the table to edit; the columns of a view follow from its query."""
    return {"table": table} if table.kind not in VIEW_KINDS and _may_edit(request) else None


@panel("diagram table", order=1, template="building/_editor_here.html")
def editor_on_diagram(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the table whose columns are edited in the margin of a diagram."""
    return _editor(request, table)


@panel("table", order=1, template="building/_editor_here.html", anchor="build", label="Edit")
def editor_on_page(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the table whose columns are edited on its own page."""
    return _editor(request, table)
