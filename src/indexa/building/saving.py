"""From a changed part of a model to rows: what differs is written, and noted in a change set from which it can be undone."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from indexa.building.records import record_of_column, record_of_key, record_of_relationship, record_of_table
from indexa.changes.models import Change
from indexa.changes.recording import Recorder
from indexa.core import platforms
from indexa.core.building.parts import Column, Part, Relationship, Table
from indexa.store.assertions import refresh_roles
from indexa.store.bulk import reserve_ids
from indexa.store.models import StoredColumn, StoredKey, StoredModel, StoredRelationship, StoredTable
from indexa.store.signals import send_model_changed

_IN_PROPERTIES = ("on_delete", "on_update", "phrase", "phrase_back", "role")


class Saving:
    """One saving: gives ids to what is new, then writes kind after kind."""

    def __init__(self, changes: Recorder, model: StoredModel, before: Part, after: Part) -> None:
        self._changes, self._model, self._before, self._after = changes, model, before, after
        self._ids: dict[int, int] = {}
        self._touched: set[int] = set()

    def save(self) -> dict[int, int]:
        """Write everything that differs. Returns the ids of what is new, by those that it had."""
        self._give_ids()
        self._now = timezone.now()
        gone = self._relationships_gone()
        self._tables()
        self._columns()
        self._keys()
        self._relationships()
        refresh_roles(self._touched)
        send_model_changed(gone_columns=gone + self._columns_gone)
        return self._ids

    def _id(self, id_: int) -> int:
        return self._ids.get(id_, id_)

    def _give_ids(self) -> None:
        tables = [id_ for id_ in self._after.tables if id_ < 0]
        columns = [column.id for table in self._after.tables.values() for column in table.columns if column.id < 0]
        relationships = [id_ for id_ in self._after.relationships if id_ < 0]
        for name, fresh in (("model_table", tables), ("model_column", columns), ("model_relationship", relationships)):
            self._ids |= dict(zip(fresh, reserve_ids(name, len(fresh)), strict=True))

    # Tables -----------------------------------------------------------------------------------------

    def _tables(self) -> None:
        for id_, table in self._after.tables.items():
            was = self._before.tables.get(id_)
            if was is None:
                made = StoredTable(
                    pk=self._id(id_), model=self._model, schema=table.schema, name=table.name, kind="table"
                )
                made.save(force_insert=True)
                self._changes.create("table", made.pk, made.full_name, "record", record_of_table(made))
                self._touched.add(made.pk)
            elif (was.name, was.schema) != (table.name, table.schema):
                before: dict[str, Any] = {"name": was.name, "schema": was.schema}
                after: dict[str, Any] = {"name": table.name, "schema": table.schema}
                self._keep_source_name(StoredTable, "table", id_, before, after)
                self._update(StoredTable, "table", id_, table.name, before, after)
                self._touched.add(id_)
        for id_ in self._before.tables.keys() - self._after.tables.keys():
            self._remove(StoredTable, "table", id_, self._before.tables[id_].name)

    def _keep_source_name(
        self, kind: Any, target: str, id_: int, before: dict[str, Any], after: dict[str, Any]
    ) -> None:
        """Keep the name that a source has for what is renamed, as long as another one stands in the model."""
        made_here = Change.objects.filter(target=target, object_id=id_, field="record", before=None).exists()
        if self._model.snapshot_id is None or made_here:
            return
        parked = kind.objects.values_list("source_name", flat=True).get(pk=id_)
        in_source = parked or before["name"]
        before["source_name"], after["source_name"] = parked, "" if after["name"] == in_source else in_source

    def _update(
        self, kind: Any, target: str, id_: int, label: str, before: dict[str, Any], after: dict[str, Any]
    ) -> None:
        kind.objects.filter(pk=id_).update(**after)
        self._changes.update(target, id_, label, "record", before, after)

    def _remove(self, kind: Any, target: str, id_: int, label: str) -> None:
        kind.objects.filter(pk=id_).update(removed_at=self._now)
        self._changes.update(target, id_, label, "record", {"removed_at": None}, {"removed_at": self._now.isoformat()})

    # Columns ----------------------------------------------------------------------------------------

    def _columns(self) -> None:
        self._columns_gone: list[int] = []
        fresh = []
        for id_, table in self._after.tables.items():
            was = self._before.tables.get(id_)
            old = {column.id: (position, column) for position, column in enumerate(was.columns, 1)} if was else {}
            for position, column in enumerate(table.columns, 1):
                if column.id not in old:
                    fresh.append(self._column(table, column, position))
                    self._touched.add(self._id(id_))
                else:
                    self._changed_column(table, *old[column.id], column, position)
            kept = {column.id for column in table.columns}
            for column_id, (_, column) in old.items():
                if column_id not in kept:
                    self._remove(StoredColumn, "column", column_id, f"{table.name}.{column.name}")
                    self._columns_gone.append(column_id)
                    self._touched.add(id_)
        for id_ in self._before.tables.keys() - self._after.tables.keys():
            self._columns_gone += [column.id for column in self._before.tables[id_].columns]
        StoredColumn.objects.bulk_create(fresh, batch_size=2_000)

    def _column(self, table: Table, column: Column, position: int) -> StoredColumn:
        _, origin = self._after.origin(table.id, column.id)
        made = StoredColumn(
            pk=self._id(column.id), table_id=self._id(table.id), name=column.name, position=position, type=column.type,
            family=self._family(column.type), nullable=column.nullable, default=column.default,
            migrated_from_id=self._id(origin) if origin != column.id and column.brought else None,
        )  # fmt: skip
        self._changes.create("column", made.pk, f"{table.name}.{column.name}", "record", record_of_column(made))
        return made

    def _changed_column(self, table: Table, was_at: int, was: Column, column: Column, position: int) -> None:
        before: dict[str, Any] = {}
        after: dict[str, Any] = {}
        for name in ("name", "type", "nullable", "default"):
            if getattr(was, name) != getattr(column, name):
                before[name], after[name] = getattr(was, name), getattr(column, name)
        if "type" in after:
            before["family"], after["family"] = self._family(was.type), self._family(column.type)
        if "name" in after:
            self._keep_source_name(StoredColumn, "column", column.id, before, after)
        if was_at != position:
            before["position"], after["position"] = was_at, position
        if after:
            self._update(StoredColumn, "column", column.id, f"{table.name}.{column.name}", before, after)
            self._touched.add(table.id)

    def _family(self, type_: str) -> str:
        return platforms.family_of(self._model.platform, type_) if type_ else "other"

    # Keys and relationships -------------------------------------------------------------------------

    def _keys(self) -> None:
        stored = {
            key.table_id: key
            for key in StoredKey.objects.filter(table_id__in=[*self._before.tables], kind=StoredKey.Kind.PRIMARY)
        }
        for id_, table in self._after.tables.items():
            was = stored.get(id_)
            self._key(table, StoredKey.Kind.PRIMARY, "primary key", was, [self._id(column) for column in table.key])
            self._unique_keys(id_, table)

    def _unique_keys(self, table_id: int, table: Table) -> None:
        before = self._before.tables.get(table_id)
        old = {one.id: one.columns for one in before.unique} if before else {}
        now = {one.id: [self._id(column) for column in one.columns] for one in table.unique}
        changed = [id_ for id_ in old if now.get(id_) != old[id_]]
        stored = StoredKey.objects.in_bulk(changed) if changed else {}
        for id_ in changed:
            self._key(table, StoredKey.Kind.UNIQUE, "unique key", stored.get(id_), now.get(id_, []))
        for id_ in now.keys() - old.keys():
            self._key(table, StoredKey.Kind.UNIQUE, "unique key", None, now[id_])

    def _key(self, table: Table, kind: StoredKey.Kind, words: str, key: StoredKey | None, ids: list[int]) -> None:
        """Make, change or delete a key, so that it is of these columns."""
        label = f"{table.name}, {words}"
        if key is None and ids:
            prefix = "pk" if kind == StoredKey.Kind.PRIMARY else "uq"
            name = f"{prefix}_{table.name}" if self._model.layer == "physical" else ""
            made = StoredKey.objects.create(
                table_id=self._id(table.id),
                kind=kind,
                name=name,
                column_ids=ids,
                properties={"name": name, "columns": []},
            )
            self._changes.create("key", made.pk, label, "record", record_of_key(made))
        elif key is not None and not ids:
            self._changes.delete("key", key.pk, label, "record", record_of_key(key))
            key.delete()
        elif key is not None and key.column_ids != ids:
            self._update(StoredKey, "key", key.pk, label, {"column_ids": key.column_ids}, {"column_ids": ids})
        else:
            return
        self._touched.add(self._id(table.id))

    def _relationships_gone(self) -> list[int]:
        for id_ in self._before.relationships.keys() - self._after.relationships.keys():
            one = StoredRelationship.objects.filter(pk=id_).first()
            if one is not None:
                self._changes.delete("relationship", id_, self._label(self._before, self._before.relationships[id_]), "record",
                                     record_of_relationship(one))  # fmt: skip
                self._touched.add(one.table_id)
                one.delete()
        return []

    def _relationships(self) -> None:
        for id_, one in self._after.relationships.items():
            was = self._before.relationships.get(id_)
            if was is None:
                self._new_relationship(one)
            elif was != one:
                self._changed_relationship(was, one)
            else:
                continue
            self._touched.add(self._id(one.child))

    def _new_relationship(self, one: Relationship) -> None:
        child, parent = self._after.tables[one.child], self._after.tables[one.parent]
        name = one.name or (f"fk_{child.name}_{parent.name}" if self._model.layer == "physical" else "")
        properties = {
            "name": name,
            "columns": [],
            "ref_schema": parent.schema,
            "ref_table": parent.name,
            "ref_columns": [],
        }
        made = StoredRelationship.objects.create(
            pk=self._id(one.id), table_id=self._id(one.child), ref_table_id=self._id(one.parent), name=name, one_to_one=False,
            **self._record(one, properties),
        )  # fmt: skip
        label = self._label(self._after, one)
        self._changes.create("relationship", made.pk, label, "record", record_of_relationship(made))

    def _changed_relationship(self, was: Relationship, one: Relationship) -> None:
        properties = StoredRelationship.objects.values_list("properties", flat=True).get(pk=one.id)
        before, after = self._record(was, properties), self._record(one, properties)
        before["properties"] = properties
        self._update(StoredRelationship, "relationship", one.id, self._label(self._after, one), before, after)

    def _record(self, one: Relationship, properties: dict[str, Any]) -> dict[str, Any]:
        """Return what of a relationship is stored, its words and actions within the properties that it has."""
        words = {name: value for name in _IN_PROPERTIES if (value := getattr(one, name)) and value != "no action"}
        rest = {name: value for name, value in properties.items() if name not in _IN_PROPERTIES}
        return {
            "column_ids": [self._id(id_) for id_ in one.columns],
            "ref_column_ids": [self._id(id_) for id_ in one.ref_columns],
            "identifying": one.identifying,
            "optional": one.optional,
            "properties": rest | words,
        }

    @staticmethod
    def _label(part: Part, one: Relationship) -> str:
        return f"{part.tables[one.child].name} to {part.tables[one.parent].name}"
