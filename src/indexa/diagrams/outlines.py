"""A stored model with nothing but its tables, their width and their relationships: enough to see how it hangs together."""

from __future__ import annotations

from collections.abc import Mapping

from django.db.models import Count

from indexa.core.diagram.parts import Key
from indexa.core.model import ForeignKey, Model, Table
from indexa.store.models import StoredColumn, StoredModel, StoredRelationship


def outline_of(model: StoredModel) -> tuple[Model, dict[Key, int]]:
    """Return the tables and relationships of a model, and the tables' ids by name; in two queries."""
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


def widths_of(model: StoredModel, ids: Mapping[Key, int]) -> dict[Key, int]:
    """Return the number of columns of each table."""
    counted = StoredColumn.objects.filter(table__model=model, removed_at__isnull=True).values_list("table_id")
    counts = dict(counted.annotate(count=Count("pk")))
    return {key: counts.get(pk, 0) for key, pk in ids.items()}
