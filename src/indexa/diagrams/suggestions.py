"""What Indexa suggests of a model: a first diagram of the tables that matter most, and one for each neighbourhood."""

from __future__ import annotations

from typing import NamedTuple

from django.core.cache import cache
from django.db.models import Count

from indexa.core.diagram.neighbourhoods import neighbourhoods, suggested
from indexa.core.model import ForeignKey, Model, Table
from indexa.diagrams.drawing import last_change_of
from indexa.store.models import StoredColumn, StoredModel, StoredRelationship

FIRST = "Most connected tables"


class Suggestion(NamedTuple):
    """A diagram that could be made: its name and the ids of its tables."""

    name: str
    table_ids: list[int]


_KEPT_FOR = 3_600
"""Seconds for which what was found in a model is remembered while nothing in it changes."""


def suggestions(model: StoredModel) -> list[Suggestion]:
    """Return the first diagram, then a diagram for each neighbourhood, the largest first; in a few queries."""
    key = f"diagrams:{model.pk}:{last_change_of(model)}"
    found: list[Suggestion] = cache.get_or_set(key, lambda: _found_in(model), _KEPT_FOR) or []
    return found


def _found_in(model: StoredModel) -> list[Suggestion]:
    outline, ids = _outline(model)
    counted = StoredColumn.objects.filter(table__model=model, removed_at__isnull=True).values_list("table_id")
    counts = dict(counted.annotate(count=Count("pk")))
    if not outline.tables:
        return []
    first = [ids[key] for key in suggested(outline, {key: counts.get(pk, 0) for key, pk in ids.items()})]
    found = [Suggestion(FIRST, first)]
    found += [Suggestion(one.name, [ids[key] for key in one.tables]) for one in neighbourhoods(outline)]
    return found


def _outline(model: StoredModel) -> tuple[Model, dict[tuple[str, str], int]]:
    """Return a model with nothing but its tables, their width and their relationships; and the tables' ids by name."""
    rows = model.tables.filter(removed_at__isnull=True).values_list(
        "pk", "schema", "name", "kind", "business_name", "entity__business_name"
    )
    tables = {
        pk: Table(schema=schema, name=name, kind=kind, business_name=business_name or entity_name or "")  # type: ignore[arg-type]
        for pk, schema, name, kind, business_name, entity_name in rows
    }
    edges = StoredRelationship.objects.filter(table_id__in=model.tables.values("pk"), ref_table__isnull=False)
    for number, (child, parent) in enumerate(edges.order_by("pk").values_list("table_id", "ref_table_id")):
        if child in tables and parent in tables:
            to = tables[parent or 0]
            tables[child].foreign_keys.append(
                ForeignKey(name=str(number), columns=(), ref_schema=to.schema, ref_table=to.name, ref_columns=())
            )
    outline = Model(name=model.name, platform=model.platform, tables=list(tables.values()))
    return outline, {(table.schema, table.name): pk for pk, table in tables.items()}
