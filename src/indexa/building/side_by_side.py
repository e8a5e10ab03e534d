"""The page that shows what each entity and attribute of a logical model is in every physical model of it."""

from __future__ import annotations

from collections import defaultdict
from math import ceil

from django.db.models import CharField, F, Value
from django.db.models.functions import Coalesce, NullIf
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.store.models import Layer, StoredColumn, StoredModel, StoredTable
from indexa.ui.parameters import parse_int

_ENTITIES_A_PAGE = 25
_MOST_MODELS = 8


@require_GET
@in_area(Role.READER)
def side_by_side(request: AreaRequest, pk: int) -> HttpResponse:
    """Entities with their attributes, each physical model a column; in five queries."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area, layer=Layer.LOGICAL)
    physical = list(model.physical_models.order_by("name")[:_MOST_MODELS])
    found = model.tables.filter(removed_at__isnull=True).annotate(said=_said())
    pages = max(1, ceil(found.count() / _ENTITIES_A_PAGE))
    page = min(pages, max(1, parse_int(request.GET.get("page")) or 1))
    entities = list(found.order_by("said", "pk")[(page - 1) * _ENTITIES_A_PAGE : page * _ENTITIES_A_PAGE])
    tables: dict[tuple[int | None, int], StoredTable] = {
        (table.entity_id, table.model_id): table
        for table in StoredTable.objects.filter(entity__in=entities, model__in=physical, removed_at__isnull=True)
    }
    attributes: defaultdict[int, list[StoredColumn]] = defaultdict(list)
    own = StoredColumn.objects.filter(table__in=entities, removed_at__isnull=True).annotate(said=_said())
    for attribute in own.order_by("table_id", "position"):
        attributes[attribute.table_id].append(attribute)
    ids = [attribute.pk for found_here in attributes.values() for attribute in found_here]
    columns = {
        (column.attribute_id, column.table.model_id): column
        for column in StoredColumn.objects.filter(
            attribute_id__in=ids, table__model__in=physical, removed_at__isnull=True
        ).select_related("table")
    }
    context = {
        "model": model,
        "entities": [
            (
                entity,
                [(one, tables.get((entity.pk, one.pk))) for one in physical],
                [
                    (attribute, [columns.get((attribute.pk, one.pk)) for one in physical])
                    for attribute in attributes[entity.pk]
                ],
            )
            for entity in entities
        ],
        "page": page,
        "pages": pages,
    }
    return render(request, "building/side_by_side.html", context)


def _said() -> Coalesce:
    """Return what a part is called: its business name, or its name where it has none."""
    return Coalesce(NullIf(F("business_name"), Value("")), F("name"), output_field=CharField())
