"""The page of a model's map, and what its margin tells of an area or a table."""

from __future__ import annotations

from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.diagrams.drawing import neighbours
from indexa.diagrams.services import MOST_TABLES
from indexa.diagrams.whole_map import MARKS, choices, map_areas, map_content
from indexa.modeling.queries import visible_tables
from indexa.store.models import StoredModel, StoredTable


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """The map of a whole model; what it draws is loaded after it."""
    model = get_object_or_404(StoredModel.objects.select_related("logical"), pk=pk, area=request.area)
    tables = model.tables.filter(removed_at__isnull=True)
    context = {
        "model": model,
        "total": tables.count(),
        "views": tables.filter(kind__in=["view", "materialized view"]).count(),
        "mark": _mark(request),
        "marks": choices(),
    }
    return render(request, "diagrams/map.html", context)


@require_GET
@in_area(Role.READER)
def content(request: AreaRequest, pk: int) -> HttpResponse:
    """What the map draws."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    return JsonResponse(map_content(model, _mark(request)))


def _mark(request: AreaRequest) -> str:
    mark = request.GET.get("colour", "")
    return mark if mark in MARKS else MARKS[0]


@require_GET
@in_area(Role.READER)
def area_margin(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """The tables of an area, which can be made a diagram."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    areas = map_areas(model)
    if number >= len(areas):
        raise Http404("The map has no such area any more.")
    area = areas[number]
    ids = [id_ for id_, *_ in area["tables"]]
    tables = StoredTable.objects.filter(pk__in=ids).select_related("entity").order_by("schema", "name")
    context = {
        "model": model,
        "name": area["name"],
        "tables": tables[:300],
        "ids": ids if len(ids) <= MOST_TABLES else [],
        "count": len(ids),
        "most": MOST_TABLES,
    }
    return render(request, "diagrams/_map_area.html", context)


@require_GET
@in_area(Role.READER)
def table_margin(request: AreaRequest, pk: int, table_pk: int) -> HttpResponse:
    """A table of the map: its words, and what it is related to."""
    table = get_object_or_404(visible_tables(request.area).select_related("entity"), pk=table_pk, model_id=pk)
    refers, referred = neighbours([table_pk])[table_pk]
    found = StoredTable.objects.in_bulk(refers | referred)
    context = {
        "table": table,
        "business_name": table.business_name or (table.entity.business_name if table.entity else ""),
        "definition": table.definition or (table.entity.definition if table.entity else ""),
        "columns": table.columns.filter(removed_at__isnull=True).count(),
        "groups": [
            ("References", sorted((found[id_] for id_ in refers if id_ in found), key=_name)),
            ("Referenced by", sorted((found[id_] for id_ in referred if id_ in found), key=_name)),
        ],
    }
    return render(request, "diagrams/_map_table.html", context)


def _name(table: StoredTable) -> str:
    return table.full_name
