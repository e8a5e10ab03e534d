"""What the area has already: columns and tables of the same name are offered while one types, and can be copied."""

from __future__ import annotations

from typing import Any, NamedTuple

from django.db.models import Count, Q
from django.db.models.functions import Lower

from indexa.areas.models import Area
from indexa.building.loading import load_part
from indexa.changes.recording import Recorder
from indexa.core.building import changing
from indexa.core.building.parts import Part, Table
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.store.signals import send_model_changed

_MOST = 5
_SHORTEST = 3


class Copied(NamedTuple):
    """A table that was copied within a part: the new one, and which of its columns was made of which."""

    table: Table
    columns: dict[int, int]
    """New id → the id that it was copied from."""


def similar_columns(area: Area, table: StoredTable, name: str) -> list[StoredColumn]:
    """Return columns of other tables of this layer with this name or business name; those with a definition first."""
    words = " ".join(name.split()).lower()
    if len(words) < _SHORTEST:
        return []
    found = StoredColumn.objects.filter(
        table__model__area=area, table__model__layer=table.model.layer, removed_at__isnull=True, table__removed_at__isnull=True
    ).exclude(table_id=table.pk)  # fmt: skip
    same = found.annotate(low=Lower("name"), words=Lower("business_name")).filter(Q(low=words) | Q(words=words))
    rows = same.select_related("table__model").order_by("pk")[: 8 * _MOST]
    kinds: dict[tuple[str, str], StoredColumn] = {}
    for row in sorted(rows, key=lambda one: not one.definition):
        kinds.setdefault((row.type, row.definition), row)
    return list(kinds.values())[:_MOST]


def similar_tables(area: Area, model: StoredModel, name: str) -> list[StoredTable]:
    """Return tables of this layer with this name or business name, each with how many columns it has."""
    words = " ".join(name.split()).lower()
    if len(words) < _SHORTEST:
        return []
    found = StoredTable.objects.filter(model__area=area, model__layer=model.layer, removed_at__isnull=True)
    same = found.annotate(low=Lower("name"), words=Lower("business_name")).filter(Q(low=words) | Q(words=words))
    counted = same.annotate(size=Count("columns", filter=Q(columns__removed_at__isnull=True)))
    return list(counted.select_related("model").order_by("pk")[:_MOST])


def copy_into(part: Part, source: StoredTable, name: str, schema: str) -> Copied:
    """Copy a table, of whatever model, with its columns and keys into a part. Raises BuildError for a name that is taken."""
    original = load_part(source.model, [source.pk], alone=True).table(source.pk)
    made = changing.add_table(part, name, schema)
    ids: dict[int, int] = {}
    for column in original.columns:
        copied = changing.add_column(part, made.id, column.name, column.type, nullable=column.nullable)
        copied.default = column.default
        ids[column.id] = copied.id
    made.key = [ids[id_] for id_ in original.key if id_ in ids]
    for key in original.unique:
        changing.add_unique(part, made.id, [ids[id_] for id_ in key.columns])
    return Copied(made, {new: old for old, new in ids.items()})


def link_copies(changes: Recorder, columns: dict[int, int]) -> None:
    """Let new columns implement the attributes of those that they stand for, with their words."""
    links = dict(
        StoredColumn.objects.filter(pk__in=columns.values(), attribute__isnull=False).values_list("pk", "attribute_id")
    )
    for new, old in columns.items():
        if old in links:
            StoredColumn.objects.filter(pk=new).update(attribute_id=links[old])
            changes.update("column", new, "", "record", {"attribute_id": None}, {"attribute_id": links[old]})
    copy_words(changes, columns)


def copy_words(changes: Recorder, columns: dict[int, int], table: tuple[int, int] | None = None) -> None:
    """Give new columns (and a new table) the business names and definitions of those that they were copied from."""
    pairs: list[tuple[Any, str, dict[int, int]]] = [
        (StoredColumn, "column", columns),
        (StoredTable, "table", dict([table]) if table else {}),
    ]
    for stored, target, ids in pairs:
        rows = stored._default_manager.in_bulk([*ids, *ids.values()])
        for new, old in ids.items():
            own, theirs = rows[new], rows[old]
            before = {"business_name": own.business_name, "definition": own.definition}
            after = {"business_name": theirs.business_name, "definition": theirs.definition}
            if before == after:
                continue
            stored._default_manager.filter(pk=new).update(**after)
            changes.update(target, new, own.name, "record", before, after)
    send_model_changed(columns=list(columns), tables=[table[0]] if table else [])
