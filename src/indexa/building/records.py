"""What changes keep of tables, columns, keys and relationships that are made, changed and deleted by hand."""

from __future__ import annotations

from typing import Any

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

_TABLE = (
    "model_id",
    "schema",
    "name",
    "kind",
    "comment",
    "business_name",
    "definition",
    "definition_sql",
    "properties",
    "entity_id",
    "table_role",
    "source_name",
)
_COLUMN = (
    "table_id", "name", "position", "type", "family", "nullable", "default", "identity", "comment", "business_name", "definition",
    "attribute_id", "migrated_from_id", "source_name",
)  # fmt: skip
_KEY = ("table_id", "kind", "name", "column_ids", "properties")
_RELATIONSHIP = (
    "table_id", "ref_table_id", "name", "column_ids", "ref_column_ids", "identifying", "optional", "one_to_one", "properties",
)  # fmt: skip


def record_of_table(table: StoredTable) -> dict[str, Any]:
    """Return a table as a record; `removed_at` is when it was deleted."""
    return _record(table, _TABLE) | {"removed_at": table.removed_at.isoformat() if table.removed_at else None}


def record_of_column(column: StoredColumn) -> dict[str, Any]:
    """Return a column as a record; `removed_at` is when it was deleted."""
    return _record(column, _COLUMN) | {"removed_at": column.removed_at.isoformat() if column.removed_at else None}


def record_of_key(key: StoredKey) -> dict[str, Any]:
    """Return a key as a record."""
    return _record(key, _KEY)


def record_of_relationship(relationship: StoredRelationship) -> dict[str, Any]:
    """Return a relationship as a record."""
    return _record(relationship, _RELATIONSHIP)


def record_of_owned(row: StoredIndex | StoredCheck | StoredObject) -> dict[str, Any]:
    """Return an index, a check or an object that belongs to no table, as a record."""
    where = ("model_id", "kind", "schema") if isinstance(row, StoredObject) else ("table_id",)
    return _record(row, (*where, "name", "properties"))


def record_of_schemas(model: StoredModel) -> dict[str, Any]:
    """Return what changes of a model itself keep: the schemas that it lists."""
    return {"schemas": model.schemas}


def _record(item: object, names: tuple[str, ...]) -> dict[str, Any]:
    return {name: getattr(item, name) for name in names}
