"""Rows of tables, columns and what hangs on them, made from a Model's parts and copied in sets."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

import msgspec

from indexa.core import platforms
from indexa.core.dictionary.key_roles import key_roles
from indexa.core.model import Model, Table
from indexa.core.model.relationships import relationship
from indexa.jobs.progress import Progress
from indexa.store.bulk import copy_rows
from indexa.store.known import KnownColumn, KnownTable
from indexa.store.models import Layer

_TABLE_COLUMNS = (
    "id", "model_id", "schema", "name", "kind", "comment", "business_name", "definition",
    "definition_sql", "properties", "entity_id", "origin", "removed_at", "source_name", "table_role",
)  # fmt: skip
_COLUMN_COLUMNS = (
    "id", "table_id", "name", "position", "type", "family", "nullable", "default", "identity", "generated",
    "collation", "comment", "roles", "business_name", "definition", "attribute_id", "migrated_from_id",
    "origin", "removed_at", "remark", "source_name",
)  # fmt: skip
OWNED_BY_TABLES = ("model_key", "model_relationship", "model_index", "model_check")


class Parent(msgspec.Struct):
    """A stored table that others refer to: its id, and the ids of its columns by the names that the source has."""

    id: int
    columns: dict[str, int]


class RowWriter:
    """Copies the rows of some tables of one model. The parts must have the store's ids.

    `old` is what the store knew of a table or column, by id: its human words are kept. `table_names` are all names of a
    schema that the source has, `parents` what is referred to and not among the tables that are copied.
    """

    def __init__(
        self,
        platform: str,
        progress: Progress,
        old: Mapping[str, KnownTable | KnownColumn],
        table_names: Mapping[str, Collection[str]],
        parents: Mapping[tuple[str, str], Parent] | None = None,
    ) -> None:
        self._platform, self._progress, self._old, self._table_names = platform, progress, old, table_names
        self._parents = parents or {}

    def copy_tables(self, model_id: int, tables: Sequence[Table], layer: Layer) -> None:
        """Copy the rows of tables, or of entities."""
        step = f"Storing {'tables' if layer == Layer.PHYSICAL else 'entities'}"
        rows = (self._table_row(model_id, table) for table in tables)
        copy_rows("model_table", _TABLE_COLUMNS, rows, self._progress, step, len(tables))

    def _table_row(self, model_id: int, table: Table) -> tuple[Any, ...]:
        old = self._old.get(table.id)
        name, source_name = _names(old, table.name, self._table_names.get(table.schema, frozenset()))
        return (
            number_of(table.id), model_id, table.schema, name, table.kind, table.comment,
            old.business_name if old else "", old.definition if old else "", table.definition_sql,
            _table_properties(table), number_of(table.realises) if table.realises else None, table.origin, None, source_name,
            getattr(old, "table_role", ""),
        )  # fmt: skip

    def copy_columns(self, tables: Sequence[Table], layer: Layer) -> None:
        """Copy the rows of columns, or of attributes."""
        step = f"Storing {'columns' if layer == Layer.PHYSICAL else 'attributes'}"
        copy_rows(
            "model_column",
            _COLUMN_COLUMNS,
            self._column_rows(tables),
            self._progress,
            step,
            sum(len(table.columns) for table in tables),
        )

    def _column_rows(self, tables: Sequence[Table]) -> Iterator[tuple[Any, ...]]:
        families: dict[str, str] = {}
        old = self._old
        for table in tables:
            roles, table_id = key_roles(table), number_of(table.id)
            for c in table.columns:
                family = families.get(c.type)
                if family is None:
                    family = families[c.type] = platforms.family_of(self._platform, c.type)
                before = old.get(c.id)
                name, source_name = c.name, ""
                if before is not None and before.source_name:
                    name, source_name = _names(before, c.name, {other.name for other in table.columns})
                yield (
                    number_of(c.id), table_id, name, c.position, c.type, family, c.nullable, c.default, c.identity,
                    c.generated, c.collation, c.comment, int(roles.get(c.name, 0)),
                    before.business_name if before else "", before.definition if before else "",
                    number_of(c.realises) if c.realises else None,
                    number_of(c.migrated_from) if c.migrated_from else None, c.origin, None, c.remark, source_name,
                )  # fmt: skip

    def copy_owned(self, tables: Sequence[Table]) -> None:
        """Copy what hangs on tables: keys, relationships, indexes, checks."""
        known = dict(self._parents) | {
            (table.schema, table.name): Parent(number_of(table.id), {c.name: number_of(c.id) for c in table.columns})
            for table in tables
        }

        def ids(table: Table, names: tuple[str, ...]) -> list[int]:
            own = known[table.schema, table.name].columns
            return [own[name] for name in names if name in own]

        def keys() -> Iterator[tuple[Any, ...]]:
            for t in tables:
                table_id = number_of(t.id)
                if t.primary_key:
                    yield (
                        table_id,
                        "primary",
                        t.primary_key.name,
                        ids(t, t.primary_key.columns),
                        _json(t.primary_key),
                    )
                for key in t.unique:
                    yield table_id, "unique", key.name, ids(t, key.columns), _json(key)
                for exclusion in t.exclusions:
                    yield table_id, "exclusion", exclusion.name, [], _json(exclusion)

        def relationships() -> Iterator[tuple[Any, ...]]:
            for t in tables:
                for key in t.foreign_keys:
                    parent = known.get((key.ref_schema, key.ref_table))
                    means = relationship(t, key)
                    yield (
                        number_of(t.id), parent.id if parent else None, key.name, ids(t, key.columns),
                        [parent.columns[name] for name in key.ref_columns if name in parent.columns] if parent else [],
                        means.identifying, means.optional, means.one_to_one, _json(key),
                    )  # fmt: skip

        indexes = ((number_of(t.id), index.name, _json(index)) for t in tables for index in t.indexes)
        checks = ((number_of(t.id), check.name, _json(check)) for t in tables for check in t.checks)
        for name, columns, rows in (
            ("model_key", ("table_id", "kind", "name", "column_ids", "properties"), keys()),
            (
                "model_relationship",
                ("table_id", "ref_table_id", "name", "column_ids", "ref_column_ids", "identifying", "optional",
                 "one_to_one", "properties"),
                relationships(),
            ),
            ("model_index", ("table_id", "name", "properties"), indexes),
            ("model_check", ("table_id", "name", "properties"), checks),
        ):  # fmt: skip
            copy_rows(name, columns, rows, self._progress, "Storing keys, indexes and checks", 0)

    def copy_objects(self, model_id: int, reading: Model) -> None:
        """Copy what belongs to no table."""
        rows = (
            (model_id, kind, part.schema, part.name, _json(part))
            for kind, parts in (
                ("enum", reading.enums),
                ("domain", reading.domains),
                ("composite", reading.composites),
                ("range", reading.ranges),
                ("sequence", reading.sequences),
                ("routine", reading.routines),
            )
            for part in parts
        )
        copy_rows(
            "model_object", ("model_id", "kind", "schema", "name", "properties"), rows, self._progress,
            "Storing types, sequences and routines", 0,
        )  # fmt: skip


def _names(old: KnownTable | KnownColumn | None, name: str, taken: Collection[str]) -> tuple[str, str]:
    """Return the name to keep and the one the source has ("" if they are one): a person's name stays while it is free."""
    if old is None or not old.source_name or old.name == name or old.name in taken:
        return name, ""
    return old.name, name


def number_of(id_: str) -> int:
    """Return the store's number in an id such as "t12" (a table) or "c345" (a column)."""
    return int(id_[1:])


_encode = msgspec.json.Encoder().encode


def _json(part: object) -> str:
    # PostgreSQL's jsonb can't hold the character U+0000, and no catalog can either.
    return _encode(part).decode()


def _table_properties(table: Table) -> str:
    properties: dict[str, Any] = {
        "owner": table.owner,
        "unlogged": table.unlogged,
        "options": table.options,
        "server": table.server,
        "inherits": table.inherits,
        "partition_by": table.partition_by,
        "partitions": table.partitions,
        "triggers": table.triggers,
    }
    return _json({name: value for name, value in properties.items() if value})
