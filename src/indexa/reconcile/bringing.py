"""Bringing a model to a wanted state as one change set, object by object, so that undo takes it back as any change by hand."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec
from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.building.loading import load_part
from indexa.building.records import record_of_owned, record_of_table
from indexa.building.saving import Saving
from indexa.changes.recording import Recorder, record
from indexa.core.building.parts import Column, Part, Relationship, Unique
from indexa.core.building.parts import Table as PartTable
from indexa.core.compare.applying import apply
from indexa.core.model import ForeignKey, Model, Table
from indexa.core.model.translating import Name
from indexa.reconcile import comparing
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ModelComparison
from indexa.store.assertions import refresh_roles
from indexa.store.locks import try_for_editing
from indexa.store.models import (
    StoredCheck,
    StoredColumn,
    StoredIndex,
    StoredKey,
    StoredModel,
    StoredObject,
    StoredRelationship,
    StoredTable,
)
from indexa.store.rows import number_of
from indexa.store.signals import send_model_changed

_APART = {
    "enums": "enum",
    "domains": "domain",
    "composites": "composite",
    "ranges": "range",
    "sequences": "sequence",
    "routines": "routine",
}
_COLUMN_FIELDS = ("identity", "generated", "collation", "comment")
_TABLE_FIELDS = ("comment", "definition_sql", "kind")
_PROPERTIES = ("owner", "unlogged", "options", "server", "inherits", "partition_by", "partitions", "triggers")


@transaction.atomic
def take_into_model(*, area: Area, person: Person, made: ModelComparison) -> int:
    """Take what is decided as *take source* into the model, as one change set. Returns how many differences.

    Raises ReconciliationError where nothing is, and where the model is not what it was when compared.
    """
    model = StoredModel.objects.select_for_update(of=("self",)).get(pk=made.model_id)
    taken = set(made.differences.filter(decision="take").values_list("identity", flat=True))
    if not taken:
        raise ReconciliationError("Nothing is decided as take source.")
    if comparing.is_stale(made):
        raise ReconciliationError("The model was changed since it was compared. Compare again; what was decided stays.")
    comparison = comparing.comparison_of(made)
    wanted = apply(comparison, {one.id for one in comparison.differences} - taken)
    why = f"Taken from {made.other_label}: {len(taken):,} difference{'' if len(taken) == 1 else 's'}"
    bring(area=area, person=person, model=model, now=comparison.after, wanted=wanted.model, why=why)
    return len(taken)


@transaction.atomic
def bring(*, area: Area, person: Person, model: StoredModel, now: Model, wanted: Model, why: str) -> None:
    """Bring a model from the state that it is in to another one, whose tables and columns have its ids where they are the same.

    One change set. Raises ReconciliationError while the model is being read again.
    """
    if not try_for_editing(model.pk):
        raise ReconciliationError("The model is being read again at this moment. Try again in half a minute.")
    with record(area=area, person=person, why=why, model_id=model.pk) as changes:
        _Bringing(changes, model, now, wanted).run()
        if model.snapshot_id and not model.changed_by_hand:
            model.changed_by_hand = True
            model.save(update_fields=["changed_by_hand"])


class _Bringing:
    """One bringing: tables that differ are found by id, then their columns and keys, what hangs on them, and what stands apart."""

    def __init__(self, changes: Recorder, model: StoredModel, now: Model, wanted: Model) -> None:
        self._changes, self._model = changes, model
        self._before = {number_of(table.id): table for table in now.tables if table.id}
        self._now, self._wanted = now, wanted
        self._ids: dict[Name, int] = {}
        """Ids of all wanted tables, those of new ones below 0 until they are stored."""

    def run(self) -> None:
        """Write everything that differs."""
        self._revive()
        kept = {number_of(table.id) for table in self._wanted.tables if table.id}
        gone = [id_ for id_ in self._before if id_ not in kept]
        touched = [
            table for table in self._wanted.tables
            if not table.id or self._before.get(number_of(table.id)) != table
        ]  # fmt: skip
        known = [number_of(table.id) for table in touched if table.id]
        before = load_part(self._model, [*known, *gone])
        after = before.copy()
        for id_ in gone:
            for one in (*after.as_parent(id_), *after.as_child(id_)):
                after.drop(one)
            del after.tables[id_]
        self._ids = {(table.schema, table.name): number_of(table.id) for table in self._wanted.tables if table.id}
        for table in touched:
            self._columns(after, table)
        for table in touched:
            self._relationships(after, table)
        given = Saving(self._changes, self._model, before, after).save()
        self._ids = {name: given.get(id_, id_) for name, id_ in self._ids.items()}
        for table in touched:
            self._rest(table)
        self._objects()
        refresh_roles({self._ids[table.schema, table.name] for table in touched})
        send_model_changed(tables=[self._ids[table.schema, table.name] for table in touched])

    def _revive(self) -> None:
        """Bring back what is in the store as deleted, with its words; what is not there at all is new."""
        known = {table.id for table in self._now.tables}
        known |= {column.id for table in self._now.tables for column in table.columns}
        for stored, target, parts in (
            (StoredTable, "table", list(self._wanted.tables)),
            (StoredColumn, "column", [column for table in self._wanted.tables for column in table.columns]),
        ):
            asked = {number_of(part.id): part for part in parts if part.id and part.id not in known}
            of_model = {"model": self._model} if stored is StoredTable else {"table__model": self._model}
            found: dict[int, Any] = stored._default_manager.filter(pk__in=asked, **of_model).in_bulk()
            for id_, part in asked.items():
                row = found.get(id_)
                if row is None:
                    part.id = ""
                elif row.removed_at is not None:  # the columns of a deleted table are not marked themselves
                    before = {"removed_at": row.removed_at.isoformat()}
                    self._changes.update(target, id_, row.name, "record", before, {"removed_at": None})
            stored._default_manager.filter(pk__in=found).update(removed_at=None)

    def _columns(self, after: Part, table: Table) -> None:
        name = (table.schema, table.name)
        if table.id:
            own = after.tables[number_of(table.id)]
            own.name, own.schema = table.name, table.schema
        else:
            own = PartTable(id=after.fresh_id(), schema=table.schema, name=table.name)
            after.tables[own.id] = own
            self._ids[name] = own.id
        old = {f"c{column.id}": column for column in own.columns}
        own.columns = []
        for column in table.columns:
            kept = old.get(column.id) or Column(id=after.fresh_id(), name=column.name)
            kept.name, kept.type, kept.nullable, kept.default = (
                column.name,
                column.type,
                column.nullable,
                column.default,
            )
            own.columns.append(kept)
        ids = {column.name: column.id for column in own.columns}
        own.key = [ids[one] for one in table.primary_key.columns] if table.primary_key else []
        there = {tuple(key.columns): key for key in own.unique}
        wanted = [tuple(ids[one] for one in key.columns) for key in table.unique]
        own.unique = [there.get(one) or Unique(id=after.fresh_id(), columns=list(one)) for one in wanted]

    def _relationships(self, after: Part, table: Table) -> None:
        """Have a table refer to what it is to refer to: those with the same columns and parent stay."""
        own = after.tables[self._ids[table.schema, table.name]]
        ids = {column.name: column.id for column in own.columns}
        wanted: dict[tuple[tuple[int, ...], int], ForeignKey] = {}
        for key in table.foreign_keys:
            parent = self._ids.get((key.ref_schema, key.ref_table))
            if parent is not None and parent in after.tables:
                wanted[tuple(ids[name] for name in key.columns), parent] = key
        asserted = set(
            StoredRelationship.objects.filter(table_id=own.id, asserted_at__isnull=False).values_list("pk", flat=True)
        )
        for one in after.as_child(own.id):
            if wanted.pop((tuple(one.columns), one.parent), None) is None and one.id not in asserted:
                after.drop(one)
        for (columns, parent), key in wanted.items():
            theirs = {column.name: column.id for column in after.tables[parent].columns}
            after.put(
                Relationship(
                    id=after.fresh_id(), name=key.name, child=own.id, parent=parent, columns=list(columns),
                    ref_columns=[theirs[name] for name in key.ref_columns if name in theirs], on_delete=key.on_delete,
                    on_update=key.on_update, identifying=set(columns) <= set(own.key) and bool(columns),
                    optional=any(own.column(id_).nullable for id_ in columns),
                )
            )  # fmt: skip

    def _rest(self, table: Table) -> None:
        """Write what of a table is more than its columns' names and types."""
        id_ = self._ids[table.schema, table.name]
        row = StoredTable.objects.get(pk=id_)
        before = record_of_table(row)
        for field in _TABLE_FIELDS:
            setattr(row, field, getattr(table, field))
        properties = {name: msgspec.to_builtins(value) for name in _PROPERTIES if (value := getattr(table, name))}
        row.properties = {name: value for name, value in row.properties.items() if name not in _PROPERTIES} | properties
        row.save(update_fields=[*_TABLE_FIELDS, "properties"])
        self._update("table", id_, row.full_name, before, record_of_table(row))
        columns = {column.name: column for column in StoredColumn.objects.filter(table=row, removed_at__isnull=True)}
        for column in table.columns:
            stored = columns[column.name]
            was = {field: getattr(stored, field) for field in _COLUMN_FIELDS}
            now = {field: getattr(column, field) for field in _COLUMN_FIELDS}
            if was != now:
                StoredColumn.objects.filter(pk=stored.pk).update(**now)
                self._update("column", stored.pk, f"{row.name}.{column.name}", was, now)
        self._keys(table, row, {column.pk: name for name, column in columns.items()})
        for stored_kind, target, parts in ((StoredIndex, "index", table.indexes), (StoredCheck, "check", table.checks)):
            self._owned(stored_kind, target, row, parts)

    def _keys(self, table: Table, row: StoredTable, names: dict[int, str]) -> None:
        """Give keys and relationships the names and further words that they are to have."""
        wanted: dict[tuple[str, ...], Any] = {
            key.columns: key for key in (*table.unique, *((table.primary_key,) if table.primary_key else ()))
        }
        for key in StoredKey.objects.filter(table=row, asserted_at__isnull=True).exclude(kind=StoredKey.Kind.EXCLUSION):
            self._told("key", StoredKey, key, wanted.get(tuple(names.get(id_, "") for id_ in key.column_ids)))
        foreign = {key.columns: key for key in table.foreign_keys}
        for one in StoredRelationship.objects.filter(table=row, asserted_at__isnull=True):
            self._told(
                "relationship",
                StoredRelationship,
                one,
                foreign.get(tuple(names.get(id_, "") for id_ in one.column_ids)),
            )

    def _told(self, target: str, stored: Any, row: Any, part: Any) -> None:
        if part is None:
            return
        kept = {name: row.properties[name] for name in ("phrase", "phrase_back", "role") if row.properties.get(name)}
        before = {"name": row.name, "properties": row.properties}
        after = {"name": part.name, "properties": msgspec.to_builtins(part) | kept}
        if before != after:
            stored.objects.filter(pk=row.pk).update(**after)
            self._update(target, row.pk, part.name, before, after)

    def _owned(self, stored: Any, target: str, table: StoredTable, parts: Iterable[Any]) -> None:
        there = {row.name: row for row in stored.objects.filter(table=table)}
        for part in parts:
            row = there.pop(part.name, None) or stored(table=table)
            before = record_of_owned(row) if row.pk else None
            row.name, row.properties = part.name, msgspec.to_builtins(part)
            self._write(target, row, before, f"{table.full_name}.{part.name}")
        for row in there.values():
            self._delete(target, row, f"{table.full_name}.{row.name}")

    def _objects(self) -> None:
        """Write what belongs to no table."""
        there: dict[tuple[str, str, str, str], StoredObject] = {
            (row.kind, row.schema, row.name, row.properties.get("arguments", "")): row
            for row in self._model.model_objects.all()
        }
        for member, kind in _APART.items():
            for part in getattr(self._wanted, member):
                row = there.pop((kind, part.schema, part.name, getattr(part, "arguments", "")), None) or StoredObject(
                    model=self._model, kind=kind
                )
                before = record_of_owned(row) if row.pk else None
                row.schema, row.name, row.properties = part.schema, part.name, msgspec.to_builtins(part)
                self._write("object", row, before, f"{part.schema}.{part.name}")
        for row in there.values():
            self._delete("object", row, f"{row.schema}.{row.name}")

    def _write(self, target: str, row: Any, before: dict[str, Any] | None, label: str) -> None:
        if before is None:
            row.save()
            self._changes.create(target, row.pk, label, "record", record_of_owned(row))
        elif before != record_of_owned(row):
            row.save()
            self._update(target, row.pk, label, before, record_of_owned(row))

    def _delete(self, target: str, row: Any, label: str) -> None:
        self._changes.delete(target, row.pk, label, "record", record_of_owned(row))
        row.delete()

    def _update(self, target: str, id_: int, label: str, before: dict[str, Any], after: dict[str, Any]) -> None:
        if before != after:
            self._changes.update(target, id_, label, "record", before, after)
