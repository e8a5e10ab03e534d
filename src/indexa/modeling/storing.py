"""Storing what an intake read: the physical model, the logical one beside it, and their links.

A second reading goes into the same model. Objects are found again by the source's own handle, then
by name; they keep their id and with it every human word. What the source no longer has stays in the
store as gone. Everything happens in the caller's transaction.
"""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Collection, Iterator
from typing import Any

import msgspec
from django.db import connection
from django.utils import timezone

from indexa.areas.models import Area
from indexa.core import platforms
from indexa.core.dictionary.key_roles import key_roles
from indexa.core.logical.derive import derive_logical
from indexa.core.model import Model, Table, file
from indexa.core.model.relationships import relationship
from indexa.dictionary import rows as dictionary_rows
from indexa.jobs.progress import Progress
from indexa.modeling.bulk import copy_rows, refresh_statistics, reserve_ids
from indexa.modeling.known import Known, KnownColumn, KnownTable, load_known
from indexa.modeling.locks import hold_for_storing
from indexa.modeling.models import Layer, Snapshot, StoredModel

_TABLE_COLUMNS = (
    "id", "model_id", "schema", "name", "kind", "comment", "business_name", "definition",
    "definition_sql", "facts", "entity_id", "origin", "gone_since", "read_as",
)  # fmt: skip
_COLUMN_COLUMNS = (
    "id", "table_id", "name", "position", "type", "family", "nullable", "default", "identity", "generated",
    "collation", "comment", "roles", "business_name", "definition", "attribute_id", "migrated_from_id",
    "origin", "gone_since", "remark", "read_as",
)  # fmt: skip
_OWNED_BY_TABLES = ("model_key", "model_relationship", "model_index", "model_check")


def keep_snapshot(model: Model) -> Snapshot:
    """Keep what a source said, once for each content."""
    content = file.write(model)
    digest = hashlib.sha256(content).hexdigest()
    found = Snapshot.objects.filter(pk=digest).defer("content").first()
    return found or Snapshot.objects.create(digest=digest, content=zlib.compress(content, 3), size=len(content))


def read_snapshot(snapshot: Snapshot) -> Model:
    """Return the model that a snapshot holds."""
    return file.read(zlib.decompress(snapshot.content))


def store_reading(
    *,
    area: Area,
    reading: Model,
    into: StoredModel | None,
    logical: StoredModel | None,
    progress: Progress,
) -> tuple[StoredModel, dict[str, int]]:
    """Store a reading as a new model, or into one that an earlier reading made.

    `logical` is the logical model to realise; None makes one, or keeps the one the model has.
    Returns the physical model and, for a second reading, counts of what was new and gone.
    """
    snapshot = keep_snapshot(reading)
    physical = into or StoredModel(area=area, layer=Layer.PHYSICAL, name=reading.name)
    physical.platform, physical.platform_version = reading.platform, reading.platform_version
    physical.comment, physical.snapshot, physical.read_at = reading.comment, snapshot, timezone.now()
    physical.schemas = msgspec.to_builtins(reading.schemas)
    physical.logical = logical or physical.logical or _new_logical(area, reading.name)
    physical.save()
    hold_for_storing(physical.pk)
    hold_for_storing(physical.logical.pk)
    return physical, _Storing(physical, reading, progress, again=into is not None).store()


def _new_logical(area: Area, name: str) -> StoredModel:
    taken = set(StoredModel.objects.filter(area=area, layer=Layer.LOGICAL).values_list("name", flat=True))
    candidates = (name if number == 1 else f"{name} {number}" for number in range(1, len(taken) + 2))
    return StoredModel.objects.create(
        area=area, layer=Layer.LOGICAL, name=next(n for n in candidates if n not in taken)
    )


class _Storing:
    """One storing: gives out ids, then copies kind after kind."""

    def __init__(self, physical: StoredModel, reading: Model, progress: Progress, *, again: bool) -> None:
        assert physical.logical is not None
        self._physical, self._logical = physical, physical.logical
        self._reading, self._progress, self._again = reading, progress, again
        self._total = 2 * sum(len(table.columns) for table in reading.tables)
        self._known = load_known(physical.pk) if again else Known()
        self._known_logical = load_known(self._logical.pk)
        self._entities: dict[str, KnownTable] = {}
        self._attributes: dict[str, KnownColumn] = {}
        self._old: dict[str, KnownTable | KnownColumn] = {}
        self._table_names: dict[str, set[str]] = {}
        for table in reading.tables:
            self._table_names.setdefault(table.schema, set()).add(table.name)

    def store(self) -> dict[str, int]:
        self._progress.tell("Comparing with what is known", 0, self._total)
        changed = self._give_ids()
        derived = derive_logical(self._reading, self._logical.name)
        fresh = self._match_logical(derived)
        renamed = _renamed_parts(self._physical.pk) if self._again else []
        if self._again:
            self._clear_what_comes_again()
        self._copy_tables(self._logical.pk, fresh, Layer.LOGICAL)
        self._copy_columns(derived.tables, Layer.LOGICAL)
        self._copy_tables(self._physical.pk, self._reading.tables, Layer.PHYSICAL)
        self._copy_columns(self._reading.tables, Layer.PHYSICAL)
        self._copy_owned(fresh)
        self._copy_owned(self._reading.tables)
        self._copy_objects()
        _rename_parts_again(renamed, self._physical.pk)
        self._progress.tell("Making the dictionary", self._total, self._total)
        refresh_statistics()
        for model in (self._logical, self._physical):
            dictionary_rows.refresh_model(model.pk)
        return changed

    def _give_ids(self) -> dict[str, int]:
        """Set the id of every table and column: the known one, or a new one."""
        new_tables, new_columns = [], []
        found_tables = self._known.find_tables(self._reading.tables)
        for table in self._reading.tables:
            old = found_tables.get((table.schema, table.name))
            if old is None:
                new_tables.append(table)
                new_columns.extend(table.columns)
                continue
            table.id = f"t{old.id}"
            self._old[table.id] = old
            found_columns = old.find_columns(table.columns)
            for column in table.columns:
                old_column = found_columns.get(column.name)
                if old_column is None:
                    new_columns.append(column)
                else:
                    column.id = f"c{old_column.id}"
                    self._old[column.id] = old_column
        for number, table in zip(reserve_ids("model_table", len(new_tables)), new_tables, strict=True):
            table.id = f"t{number}"
        for number, column in zip(reserve_ids("model_column", len(new_columns)), new_columns, strict=True):
            column.id = f"c{number}"
        if not self._again:
            return {}
        gone_tables, gone_columns = self._known.count_unfound()
        counts = {
            "new tables": len(new_tables),
            "new columns": len(new_columns),
            "gone tables": gone_tables,
            "gone columns": gone_columns,
        }
        return {kind: count for kind, count in counts.items() if count}

    def _match_logical(self, derived: Model) -> list[Table]:
        """Give ids to entities and attributes: of those linked before, of the same name, or new ones.

        Returns the entities that are new; `_attributes` then tells which attributes are not.
        """
        fresh: list[Table] = []
        new_columns = []
        known = self._known_logical.by_id
        realised_by = {table.realises: table for table in self._reading.tables if table.realises}
        same_name = self._known_logical.find_tables(derived.tables)
        for entity in derived.tables:
            table = realised_by[entity.id]
            old_entity = known.get(self._link(table.id)) or same_name.get((entity.schema, entity.name))
            if old_entity is None:
                fresh.append(entity)
                new_columns.extend(entity.columns)
                continue
            self._entities[entity.id] = old_entity
            by_id = {attribute.id: attribute for attribute in old_entity.columns}
            found = old_entity.find_columns(entity.columns)
            for attribute, column in zip(entity.columns, table.columns, strict=True):
                old_attribute = by_id.get(self._link(column.id)) or found.get(attribute.name)
                if old_attribute is None:
                    new_columns.append(attribute)
                else:
                    self._attributes[attribute.id] = old_attribute
        ids: dict[str, str] = {key: f"t{old.id}" for key, old in self._entities.items()}
        ids |= {key: f"c{old.id}" for key, old in self._attributes.items()}
        for number, entity in zip(reserve_ids("model_table", len(fresh)), fresh, strict=True):
            ids[entity.id] = f"t{number}"
        for number, attribute in zip(reserve_ids("model_column", len(new_columns)), new_columns, strict=True):
            ids[attribute.id] = f"c{number}"
        for table in self._reading.tables:
            table.realises = ids.get(table.realises, "")
            for column in table.columns:
                column.realises = ids.get(column.realises, "")
        known_ids = set(self._attributes)
        for entity in derived.tables:
            was_known = entity.id in self._entities
            entity.id = ids[entity.id]
            kept = []
            for attribute in entity.columns:
                if not was_known or attribute.id not in known_ids:
                    kept.append(attribute)
                attribute.id, attribute.migrated_from = (
                    ids[attribute.id],
                    ids.get(attribute.migrated_from, ""),
                )
            if was_known:
                entity.columns = kept  # only what the entity does not have yet is stored
        return fresh

    def _link(self, id_: str) -> int:
        """Return what a known table or column realises, 0 if nothing."""
        old = self._old.get(id_)
        return old.link or 0 if old else 0

    def _clear_what_comes_again(self) -> None:
        """Take out the rows that are about to be copied again; mark the rest as gone."""
        tables = [_number(table.id) for table in self._reading.tables]
        columns = [_number(column.id) for table in self._reading.tables for column in table.columns]
        of_model = "table_id in (select id from model_table where model_id = %s)"
        with connection.cursor() as cursor:
            for name in _OWNED_BY_TABLES:
                cursor.execute(f"delete from {name} where {of_model}", [self._physical.pk])
            cursor.execute("delete from model_object where model_id = %s", [self._physical.pk])
            cursor.execute("delete from dictionary_row where model_id = %s", [self._physical.pk])
            cursor.execute(f"delete from model_column where id = any(%s) and {of_model}", [columns, self._physical.pk])
            cursor.execute(
                f"update model_column set gone_since = now() where gone_since is null and {of_model}",
                [self._physical.pk],
            )
            cursor.execute("delete from model_table where id = any(%s) and model_id = %s", [tables, self._physical.pk])
            cursor.execute(
                "update model_table set gone_since = now() where gone_since is null and model_id = %s",
                [self._physical.pk],
            )

    def _copy_tables(self, model_id: int, tables: list[Table], layer: Layer) -> None:
        step = f"Storing {'tables' if layer == Layer.PHYSICAL else 'entities'}"
        rows = (self._table_row(model_id, table) for table in tables)
        copy_rows("model_table", _TABLE_COLUMNS, rows, self._progress, step, len(tables))

    def _table_row(self, model_id: int, table: Table) -> tuple[Any, ...]:
        old = self._old.get(table.id)
        name, read_as = _names(old, table.name, self._table_names.get(table.schema, frozenset()))
        return (
            _number(table.id), model_id, table.schema, name, table.kind, table.comment,
            old.business_name if old else "", old.definition if old else "", table.definition_sql,
            _table_facts(table), _number(table.realises) if table.realises else None, table.origin, None, read_as,
        )  # fmt: skip

    def _copy_columns(self, tables: list[Table], layer: Layer) -> None:
        step = f"Storing {'columns' if layer == Layer.PHYSICAL else 'attributes'}"
        copy_rows("model_column", _COLUMN_COLUMNS, self._column_rows(tables), self._progress, step, self._total // 2)

    def _column_rows(self, tables: list[Table]) -> Iterator[tuple[Any, ...]]:
        families: dict[str, str] = {}
        old = self._old
        for table in tables:
            roles, table_id = key_roles(table), _number(table.id)
            for c in table.columns:
                family = families.get(c.type)
                if family is None:
                    family = families[c.type] = platforms.family_of(self._reading.platform, c.type)
                before = old.get(c.id)
                name, read_as = c.name, ""
                if before is not None and before.read_as:
                    name, read_as = _names(before, c.name, {other.name for other in table.columns})
                yield (
                    _number(c.id), table_id, name, c.position, c.type, family, c.nullable, c.default, c.identity,
                    c.generated, c.collation, c.comment, int(roles.get(c.name, 0)),
                    before.business_name if before else "", before.definition if before else "",
                    _number(c.realises) if c.realises else None,
                    _number(c.migrated_from) if c.migrated_from else None, c.origin, None, c.remark, read_as,
                )  # fmt: skip

    def _copy_owned(self, tables: list[Table]) -> None:
        """Copy what hangs on tables: keys, relationships, indexes, checks."""
        by_name = {(table.schema, table.name): table for table in tables}
        numbers = {table.id: {c.name: _number(c.id) for c in table.columns} for table in tables}

        def ids(table: Table, names: tuple[str, ...]) -> list[int]:
            own = numbers[table.id]
            return [own[name] for name in names if name in own]

        def keys() -> Iterator[tuple[Any, ...]]:
            for t in tables:
                table_id = _number(t.id)
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
                    parent = by_name.get((key.ref_schema, key.ref_table))
                    means = relationship(t, key)
                    yield (
                        _number(t.id), _number(parent.id) if parent else None, key.name, ids(t, key.columns),
                        ids(parent, key.ref_columns) if parent else [],
                        means.identifying, means.optional, means.one_to_one, _json(key),
                    )  # fmt: skip

        indexes = ((_number(t.id), index.name, _json(index)) for t in tables for index in t.indexes)
        checks = ((_number(t.id), check.name, _json(check)) for t in tables for check in t.checks)
        for name, columns, rows in (
            ("model_key", ("table_id", "kind", "name", "column_ids", "facts"), keys()),
            (
                "model_relationship",
                ("table_id", "ref_table_id", "name", "column_ids", "ref_column_ids", "identifying", "optional",
                 "one_to_one", "facts"),
                relationships(),
            ),
            ("model_index", ("table_id", "name", "facts"), indexes),
            ("model_check", ("table_id", "name", "facts"), checks),
        ):  # fmt: skip
            copy_rows(name, columns, rows, self._progress, "Storing keys, indexes and checks", 0)

    def _copy_objects(self) -> None:
        reading = self._reading
        rows = (
            (self._physical.pk, kind, part.schema, part.name, _json(part))
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
            "model_object", ("model_id", "kind", "schema", "name", "facts"), rows, self._progress,
            "Storing types, sequences and routines", 0,
        )  # fmt: skip


def _names(old: KnownTable | KnownColumn | None, name: str, taken: Collection[str]) -> tuple[str, str]:
    """Return the name to keep and the one the source has ("" if they are one): a person's name stays while it is free."""
    if old is None or not old.read_as or old.name == name or old.name in taken:
        return name, ""
    return old.name, name


def _renamed_parts(model_id: int) -> list[tuple[str, int, str, str]]:
    """Return the keys, relationships, indexes, checks and sequences that a person gave another name than the source's.

    Each as kind of part, id of its table (0 for a sequence), the source's name, today's name.
    """
    found = []
    with connection.cursor() as cursor:
        for name in _OWNED_BY_TABLES:
            cursor.execute(
                f"select o.table_id, coalesce(o.facts->>'name', ''), o.name from {name} o "
                "join model_table t on t.id = o.table_id where t.model_id = %s and o.name <> coalesce(o.facts->>'name', '')",
                [model_id],
            )
            found += [(name, *row) for row in cursor.fetchall()]
        cursor.execute(
            "select 0, facts->>'schema' || '.' || (facts->>'name'), name from model_object "
            "where model_id = %s and kind = 'sequence' and name <> coalesce(facts->>'name', '')",
            [model_id],
        )
        found += [("model_object", *row) for row in cursor.fetchall()]
    return found


def _rename_parts_again(renamed: list[tuple[str, int, str, str]], model_id: int) -> None:
    """Give parts that were read again the names that a person gave them before."""
    with connection.cursor() as cursor:
        for table in sorted({row[0] for row in renamed}):
            rows = [row[1:] for row in renamed if row[0] == table]
            owner = (
                "o.model_id = %s and o.schema || '.' || o.name"
                if table == "model_object"
                else "%s > 0 and o.table_id = v.owner and o.name"
            )
            cursor.execute(
                f"update {table} o set name = v.name from (select unnest(%s::bigint[]) as owner, unnest(%s::text[]) as read_as, "
                f"unnest(%s::text[]) as name) v where {owner} = v.read_as",
                [*(list(column) for column in zip(*rows, strict=True)), model_id],
            )


def _number(id_: str) -> int:
    """Return the store's number in an id such as "t12" (a table) or "c345" (a column)."""
    return int(id_[1:])


_encode = msgspec.json.Encoder().encode


def _json(part: object) -> str:
    # PostgreSQL's jsonb can't hold the character U+0000, and no catalog can either.
    return _encode(part).decode()


def _table_facts(table: Table) -> str:
    facts: dict[str, Any] = {
        "owner": table.owner,
        "unlogged": table.unlogged,
        "options": table.options,
        "server": table.server,
        "inherits": table.inherits,
        "partition_by": table.partition_by,
        "partitions": table.partitions,
        "triggers": table.triggers,
    }
    return _json({name: value for name, value in facts.items() if value})
