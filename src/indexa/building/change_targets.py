"""Undo and redo of what is built by hand: tables, columns, keys and relationships as a whole."""

from __future__ import annotations

from collections.abc import Sequence

from indexa.building.records import (
    record_of_column,
    record_of_key,
    record_of_owned,
    record_of_relationship,
    record_of_schemas,
    record_of_table,
)
from indexa.changes.models import Change
from indexa.changes.targets import add_field
from indexa.changes.whole_records import RecordField, nothing_in_the_way
from indexa.store.assertions import refresh_roles
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
from indexa.store.signals import send_model_changed


def _columns_written(changes: Sequence[Change]) -> None:
    ids = [change.object_id for change in changes]
    there = set(StoredColumn.objects.filter(pk__in=ids, removed_at__isnull=True).values_list("pk", flat=True))
    send_model_changed(gone_columns=[id_ for id_ in ids if id_ not in there], columns=sorted(there))
    refresh_roles(set(StoredColumn.objects.filter(pk__in=ids).values_list("table_id", flat=True)))


def _tables_written(changes: Sequence[Change]) -> None:
    ids = [change.object_id for change in changes]
    there = set(StoredTable.objects.filter(pk__in=ids, removed_at__isnull=True).values_list("pk", flat=True))
    send_model_changed(gone_tables=[id_ for id_ in ids if id_ not in there], tables=sorted(there))


def _keys_written(changes: Sequence[Change]) -> None:
    ids = [change.object_id for change in changes]
    records = [change.after or change.before or {} for change in changes]
    tables = {record["table_id"] for record in records if "table_id" in record}
    for stored in (StoredKey, StoredRelationship):
        tables |= set(stored.objects.filter(pk__in=ids).values_list("table_id", flat=True))
    refresh_roles(tables)


def _owned_written(changes: Sequence[Change]) -> None:
    records = [change.after or change.before or {} for change in changes]
    refresh_roles({record["table_id"] for record in records if "table_id" in record})


add_field(
    "table", "record", RecordField("Table", StoredTable.objects, record_of_table, nothing_in_the_way, _tables_written)
)
add_field(
    "column",
    "record",
    RecordField("Column", StoredColumn.objects, record_of_column, nothing_in_the_way, _columns_written),
)
add_field("key", "record", RecordField("Key", StoredKey.objects, record_of_key, nothing_in_the_way, _keys_written))
add_field(
    "relationship",
    "record",
    RecordField(
        "Relationship",
        StoredRelationship.objects,
        record_of_relationship,
        nothing_in_the_way,
        _keys_written,
        frozenset({"identifying", "optional", "one_to_one"}),
    ),
)
for target, label, stored in (("index", "Index", StoredIndex), ("check", "Check", StoredCheck)):
    add_field(target, "record", RecordField(label, stored.objects, record_of_owned, nothing_in_the_way, _owned_written))
add_field("object", "record", RecordField("Object", StoredObject.objects, record_of_owned))
add_field("model", "record", RecordField("Model", StoredModel.objects, record_of_schemas))
