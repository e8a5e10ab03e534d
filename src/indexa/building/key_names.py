"""Names of keys, relationships and indexes of physical models: by the standard, and after their table unless a person chose one."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

import msgspec

from indexa.adapters.templates import render_confined
from indexa.changes.recording import Recorder
from indexa.core.building.parts import Part
from indexa.core.model import ForeignKey, Index, Key, Model
from indexa.core.model import Table as ModelTable
from indexa.core.naming.key_names import name_keys
from indexa.core.naming.standard import DEFAULT
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.store.models import (
    Layer,
    StoredColumn,
    StoredIndex,
    StoredKey,
    StoredModel,
    StoredRelationship,
    StoredTable,
)

_KINDS: tuple[tuple[str, Any], ...] = (("key", StoredKey), ("relationship", StoredRelationship), ("index", StoredIndex))
_Names = dict[tuple[str, int], str]
"""Kind and id of a part → its name."""


def follow_names(changes: Recorder, model: StoredModel, before: Part, after: Part) -> None:
    """Name what is new, and give what was named after a table that is called otherwise now its new name."""
    if model.layer != Layer.PHYSICAL:
        return
    renamed = {
        id_: table.name
        for id_, table in before.tables.items()
        if id_ in after.tables and after.tables[id_].name != table.name
    }
    fresh = {target: {change.object_id for change in changes.made(target)} for target in ("key", "relationship")}
    tables = _tables_of(renamed, fresh)
    if not tables:
        return
    now = _names(model, tables, {})
    then = _names(model, tables, renamed) if renamed else {}
    for target, stored in _KINDS:
        rows = {row.pk: row for row in stored.objects.filter(pk__in=[id_ for kind, id_ in now if kind == target])}
        for pk, row in rows.items():
            wanted = now[target, pk]
            follows = pk in fresh.get(target, ()) or (renamed and row.name == then.get((target, pk)))
            if follows and wanted and row.name != wanted:
                stored.objects.filter(pk=pk).update(name=wanted)
                changes.update(target, pk, wanted, "record", {"name": row.name}, {"name": wanted})


def _tables_of(renamed: Collection[int], fresh: dict[str, set[int]]) -> set[int]:
    """Return the tables with parts whose names may change: renamed ones, those that refer to them, those with new parts."""
    tables = set(renamed)
    tables |= set(StoredRelationship.objects.filter(ref_table_id__in=list(renamed)).values_list("table_id", flat=True))
    tables |= set(StoredKey.objects.filter(pk__in=fresh["key"]).values_list("table_id", flat=True))
    return tables | set(
        StoredRelationship.objects.filter(pk__in=fresh["relationship"]).values_list("table_id", flat=True)
    )


def _names(model: StoredModel, table_ids: set[int], called: dict[int, str]) -> _Names:
    """Return what the parts of tables are called by the standard; `called` are tables under another name than they have."""
    relationships = list(StoredRelationship.objects.filter(table_id__in=table_ids).order_by("pk"))
    wanted = table_ids | {one.ref_table_id for one in relationships if one.ref_table_id}
    stored = StoredTable.objects.in_bulk(wanted)
    tables = {pk: ModelTable(name=called.get(pk, one.name), schema=one.schema) for pk, one in stored.items()}
    columns = dict(StoredColumn.objects.filter(table_id__in=wanted).values_list("pk", "name"))

    def of(ids: list[int]) -> tuple[str, ...]:
        return tuple(columns[id_] for id_ in ids if id_ in columns)

    parts: dict[tuple[str, int], Key | ForeignKey | Index] = {}
    for key in StoredKey.objects.filter(table_id__in=table_ids).exclude(kind=StoredKey.Kind.EXCLUSION).order_by("pk"):
        part = parts["key", key.pk] = Key(name="", columns=of(key.column_ids))
        if key.kind == StoredKey.Kind.PRIMARY:
            tables[key.table_id].primary_key = part
        else:
            tables[key.table_id].unique.append(part)
    for one in relationships:
        parent = tables.get(one.ref_table_id or 0)
        foreign = parts["relationship", one.pk] = ForeignKey(
            name="", columns=of(one.column_ids), ref_schema=parent.schema if parent else "", ref_table=parent.name if parent else "",
            ref_columns=of(one.ref_column_ids),
        )  # fmt: skip
        tables[one.table_id].foreign_keys.append(foreign)
    for row in StoredIndex.objects.filter(table_id__in=table_ids).order_by("pk"):
        index = parts["index", row.pk] = msgspec.convert(row.properties, Index)
        tables[row.table_id].indexes.append(index)
    standard = standards.standard_of(model)
    core = standards.core_standard(standard, model) if standard else DEFAULT
    name_keys(
        Model(name="", platform=model.platform, tables=[tables[pk] for pk in sorted(table_ids)]), core,
        wordbooks.stack_of(model.area) if standard else None, render_confined,
    )  # fmt: skip
    return {place: part.name for place, part in parts.items()}
