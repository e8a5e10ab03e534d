"""From stored rows to the part of a model that a change can reach: its tables, and all that keys connect them with."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from indexa.core.building.parts import Column, Part, Relationship, Table, Unique
from indexa.store.models import StoredColumn, StoredKey, StoredModel, StoredRelationship, StoredTable


def load_part(model: StoredModel, table_ids: Iterable[int], *, alone: bool = False) -> Part:
    """Return some tables with those that they refer to and that refer to them, through all generations; in five queries.

    alone: only these tables and no relationships, for changes that reach no key.
    """
    stored = StoredRelationship.objects.filter(
        table__model=model, table__removed_at__isnull=True, ref_table__removed_at__isnull=True, ref_table__isnull=False
    )
    edges = [] if alone else [one for one in stored.order_by("pk") if not one.properties.get("only_where")]
    ids = _connected(set(table_ids), edges)
    tables = {
        one.pk: Table(id=one.pk, schema=one.schema, name=one.name)
        for one in StoredTable.objects.filter(model=model, pk__in=ids, removed_at__isnull=True)
    }
    columns = StoredColumn.objects.filter(table_id__in=list(tables), removed_at__isnull=True).order_by(
        "table_id", "position", "pk"
    )
    fields = ("pk", "table_id", "name", "type", "nullable", "default", "migrated_from_id")
    for pk, table, name, type_, nullable, default, migrated in columns.values_list(*fields):
        tables[table].columns.append(
            Column(id=pk, name=name, type=type_, nullable=nullable, default=default, brought=migrated is not None)
        )
    keys = StoredKey.objects.filter(table_id__in=list(tables)).exclude(kind=StoredKey.Kind.EXCLUSION).order_by("pk")
    for pk, table, kind, column_ids in keys.values_list("pk", "table_id", "kind", "column_ids"):
        if kind == StoredKey.Kind.PRIMARY:
            tables[table].key = list(column_ids)
        else:
            tables[table].unique.append(Unique(id=pk, columns=list(column_ids)))
    relationships = {
        one.pk: Relationship(
            id=one.pk, name=one.name, child=one.table_id, parent=one.ref_table_id or 0, columns=list(one.column_ids),
            ref_columns=list(one.ref_column_ids), identifying=one.identifying, optional=one.optional,
            role=one.properties.get("role", ""), on_delete=one.properties.get("on_delete", "no action"),
            on_update=one.properties.get("on_update", "no action"), phrase=one.properties.get("phrase", ""),
            phrase_back=one.properties.get("phrase_back", ""),
            of_key=not one.ref_column_ids or set(one.ref_column_ids) == set(tables[one.ref_table_id].key),
        )
        for one in edges
        if one.table_id in tables and one.ref_table_id in tables
    }  # fmt: skip
    return Part(tables, relationships)


def _connected(begin: set[int], edges: Iterable[StoredRelationship]) -> set[int]:
    beside: defaultdict[int, set[int]] = defaultdict(set)
    for one in edges:
        beside[one.table_id].add(one.ref_table_id or 0)
        beside[one.ref_table_id or 0].add(one.table_id)
    found, waiting = set(begin), list(begin)
    while waiting:
        fresh = beside[waiting.pop()] - found
        found |= fresh
        waiting += fresh
    return found
