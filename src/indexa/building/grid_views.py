"""All columns of a model in a grid that is edited in place: cell by cell, or a block at once."""

from __future__ import annotations

from typing import Any

import msgspec
from django.db.models import Q, QuerySet
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import services
from indexa.building.offered_types import offered_types
from indexa.core.building.cells import Cell, changed_values, set_cells
from indexa.core.building.parts import BuildError
from indexa.core.model import VIEW_KINDS
from indexa.store.models import StoredColumn, StoredModel, StoredRelationship
from indexa.ui.parameters import parse_int

_BLOCK = 200
MOST_CELLS = 5_000
_MOST_TOLD = 20


class _Given(msgspec.Struct, forbid_unknown_fields=True):
    column: int
    field: str
    value: str


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """The grid; with `offset`, one block of its rows."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    asked = request.GET.get("q", "").strip()[:200]
    found = _rows(model, asked)
    offset = max(0, parse_int(request.GET.get("offset")))
    context: dict[str, Any] = {"model": model, "rows": found[offset : offset + _BLOCK], "offset": offset}
    if request.headers.get("HX-Request") and "offset" in request.GET:
        return render(request, "building/_columns_block.html", context)
    context |= {
        "total": found.count(), "size": _BLOCK, "asked": asked, "types": offered_types(model),
        "rows_url": f"{reverse('building:columns', args=[request.area.slug, pk])}?{urlencode({'q': asked})}",
    }  # fmt: skip
    return render(request, "building/columns.html", context)


def _rows(model: StoredModel, asked: str) -> QuerySet[StoredColumn]:
    found = StoredColumn.objects.filter(table__model=model, removed_at__isnull=True, table__removed_at__isnull=True)
    found = found.exclude(table__kind__in=VIEW_KINDS).select_related("table")
    if asked:
        found = found.filter(table__name__icontains=asked) | found.filter(name__icontains=asked)
    return found.order_by("table__schema", "table__name", "table_id", "position")


@require_POST
@in_area(Role.STEWARD)
def set_values(request: AreaRequest, pk: int) -> HttpResponse:
    """Set cells, all or none of them; answers what the changed columns show now, and what came along, in words."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    try:
        given = msgspec.json.decode(request.POST.get("cells", ""), type=list[_Given])
    except msgspec.DecodeError:
        return JsonResponse({"message": "These are no cells. Load the page again."}, status=422)
    if not 0 < len(given) <= MOST_CELLS:
        return JsonResponse({"message": f"At most {MOST_CELLS:,} cells can be set at once."}, status=422)
    tables = dict(
        StoredColumn.objects.filter(pk__in={one.column for one in given}, table__model=model).values_list(
            "pk", "table_id"
        )
    )
    if any(one.column not in tables for one in given):
        return JsonResponse({"message": "Some of these columns are no longer there. Load the page again."}, status=422)
    cells = [Cell(tables[one.column], one.column, one.field, one.value) for one in given]
    why = f"Set {len(cells):,} cell{'' if len(cells) == 1 else 's'} in the grid"
    try:
        built = services.change(
            area=request.area, person=request.user, model=model, tables=set(tables.values()), why=why, about=set(tables),
            alone=not _in_relationships(model, list(tables)),
            work=lambda part: set_cells(part, cells),
        )  # fmt: skip
    except BuildError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return JsonResponse({"rows": changed_values(built.before, built.after), "told": built.told[:_MOST_TOLD]})


def _in_relationships(model: StoredModel, columns: list[int]) -> bool:
    """Return whether any of these columns is an end of a relationship, so that others follow it."""
    ends = Q(column_ids__overlap=columns) | Q(ref_column_ids__overlap=columns)
    return StoredRelationship.objects.filter(ends, table__model=model).exists()
