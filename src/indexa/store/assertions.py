"""Keys and relationships that a person asserts: they stand in the model beside those that the source declares.

Each is recorded in its change, from which it can be made again; undo takes it out, and undo of undo puts it back. An
asserted relationship stands in the physical model and, where both its tables implement entities, in the logical one, and
brings definitions along as a declared one does.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from typing import Any

import msgspec
from django.db import connection
from django.utils import timezone

from indexa.changes.recording import Recorder
from indexa.core.model import ForeignKey, Key
from indexa.store.models import DetachedConstraint, StoredColumn, StoredKey, StoredRelationship, StoredTable
from indexa.store.signals import send_model_changed


class Assertion(msgspec.Struct, kw_only=True, omit_defaults=True):
    """A key or relationship that a person asserts, by ids; `ref_table` is 0 for a key."""

    kind: str
    """"primary", "unique" or "foreign"."""
    name: str
    table: int
    columns: list[int]
    ref_table: int = 0
    ref_columns: list[int] = []
    only_where: str = ""


class _Writing:
    """Writes assertions in sets: what they name is loaded once, and each kind of row is written by one statement."""

    def __init__(self, changes: Recorder, assertions: Sequence[Assertion]) -> None:
        self._changes = changes
        self._tables = StoredTable.objects.in_bulk(
            {id_ for one in assertions for id_ in (one.table, one.ref_table) if id_}
        )
        ids = {id_ for one in assertions for id_ in (*one.columns, *one.ref_columns)}
        self._columns = StoredColumn.objects.in_bulk(ids)
        entities = {table.entity_id for table in self._tables.values() if table.entity_id}
        self._tables |= StoredTable.objects.in_bulk(entities)
        self._columns |= StoredColumn.objects.in_bulk(
            {c.attribute_id for c in self._columns.values() if c.attribute_id}
        )
        self._keyed = {
            (table_id, kind if kind == "primary" else "", () if kind == "primary" else tuple(column_ids))
            for table_id, kind, column_ids in StoredKey.objects.filter(table_id__in=entities).values_list(
                "table_id", "kind", "column_ids"
            )
        }
        self._related = {
            (table_id, tuple(column_ids))
            for table_id, column_ids in StoredRelationship.objects.filter(table_id__in=entities).values_list(
                "table_id", "column_ids"
            )
        }

    def write(self, assertions: Sequence[Assertion]) -> set[int]:
        """Write the assertions and those one layer up; return the tables that were touched."""
        above = [one for one in map(self._above, assertions) if one is not None]
        whole = [*assertions, *above]
        insert(whole, [None] * len(whole), self._tables, self._columns, self._changes)
        bring(self._changes, [
            pair for one in above if one.kind == "foreign" and not one.only_where
            for pair in zip(one.columns, one.ref_columns, strict=True)
        ])  # fmt: skip
        return {one.table for one in whole}

    def _above(self, one: Assertion) -> Assertion | None:
        """Return the assertion one layer up; None where a part of it implements nothing, or the entity has such a key already."""
        entity = self._tables[one.table].entity_id
        attributes = [self._columns[id_].attribute_id for id_ in one.columns]
        ref_attributes = [self._columns[id_].attribute_id for id_ in one.ref_columns]
        ref_entity = self._tables[one.ref_table].entity_id if one.ref_table else 0
        if not entity or not all(attributes) or not all(ref_attributes) or ref_entity is None:
            return None
        own = [id_ for id_ in attributes if id_]
        if one.kind == "foreign":
            if (entity, tuple(own)) in self._related:
                return None
            self._related.add((entity, tuple(own)))
        else:
            key = (entity, "primary", ()) if one.kind == "primary" else (entity, "", tuple(own))
            if key in self._keyed:
                return None
            self._keyed.add(key)
        return Assertion(
            kind=one.kind, name=one.name, table=entity, columns=own, ref_table=ref_entity,
            ref_columns=[id_ for id_ in ref_attributes if id_], only_where=one.only_where,
        )  # fmt: skip


def assert_all(changes: Recorder, assertions: Sequence[Assertion]) -> set[int]:
    """Write assertions of physical tables, and of the entities they implement; return the tables that were touched."""
    if not assertions:
        return set()
    touched = _Writing(changes, assertions).write(assertions)
    refresh_roles(touched)
    return touched


def insert(
    assertions: Sequence[Assertion],
    ids: Sequence[int | None],
    tables: dict[int, StoredTable],
    columns: dict[int, StoredColumn],
    changes: Recorder | None,
) -> None:
    """Put asserted parts into the store, under ids they had before where given; note them in the changes, if there are any."""
    now = timezone.now()
    keys: list[StoredKey] = []
    relationships: list[StoredRelationship] = []
    order: list[StoredKey | StoredRelationship] = []
    for one, id_ in zip(assertions, ids, strict=True):
        names = tuple(columns[column].name for column in one.columns)
        if one.kind != "foreign":
            key = StoredKey(
                pk=id_, table_id=one.table, kind=one.kind, name=one.name, column_ids=one.columns, asserted_at=now,
                properties=msgspec.to_builtins(Key(name=one.name, columns=names, asserted=True)),
            )  # fmt: skip
            keys.append(key)
            order.append(key)
            continue
        parent = tables[one.ref_table]
        foreign = ForeignKey(
            name=one.name, columns=names, ref_schema=parent.schema, ref_table=parent.name,
            ref_columns=tuple(columns[column].name for column in one.ref_columns), asserted=True, only_where=one.only_where,
        )  # fmt: skip
        relationship = StoredRelationship(
            pk=id_, table_id=one.table, ref_table_id=one.ref_table, name=one.name, column_ids=one.columns,
            ref_column_ids=one.ref_columns, identifying=False, optional=False, one_to_one=False,
            properties=msgspec.to_builtins(foreign), asserted_at=now,
        )  # fmt: skip
        relationships.append(relationship)
        order.append(relationship)
    StoredKey.objects.bulk_create(keys, batch_size=2_000)
    StoredRelationship.objects.bulk_create(relationships, batch_size=2_000)
    if changes is None:
        return
    for one, row in zip(assertions, order, strict=True):
        target = "relationship" if one.kind == "foreign" else "key"
        label = f"{tables[one.table].full_name}({', '.join(columns[id_].name for id_ in one.columns)})"
        changes.create(target, row.pk, label, "asserted", after=msgspec.to_builtins(one))


def bring(changes: Recorder | None, pairs: Sequence[tuple[int, int]]) -> None:
    """Let attributes, and those that got their words through them, show the words of others: (own, theirs) each."""
    if not pairs:
        return
    ids = {id_ for pair in pairs for id_ in pair}
    attributes = StoredColumn.objects.select_related("table").in_bulk(ids)
    followers: dict[int, list[StoredColumn]] = defaultdict(list)
    for column in StoredColumn.objects.filter(migrated_from_id__in=ids).select_related("table"):
        column = attributes.setdefault(column.pk, column)
        followers[column.migrated_from_id or 0].append(column)
    before = {id_: column.migrated_from_id for id_, column in attributes.items()}
    for own, theirs in pairs:
        mine, other = attributes[own], attributes[theirs]
        root = other.migrated_from_id or theirs
        if mine.migrated_from_id or root == own:
            continue
        for column in [mine, *followers.pop(own, [])]:
            column.migrated_from_id = root
            followers[root].append(column)
    changed = [column for id_, column in attributes.items() if before[id_] != column.migrated_from_id]
    StoredColumn.objects.bulk_update(changed, ["migrated_from_id"], batch_size=2_000)
    if changes is None:
        return
    for column in changed:
        label = f"{column.table.full_name}.{column.name}"
        changes.update("column", column.pk, label, "migrated_from_id", before[column.pk], column.migrated_from_id)


def restore(assertions: Sequence[tuple[int, Assertion]]) -> None:
    """Put asserted parts back into the store under the ids they had."""
    text = [one for _, one in assertions]
    tables = StoredTable.objects.in_bulk({id_ for one in text for id_ in (one.table, one.ref_table) if id_})
    columns = StoredColumn.objects.in_bulk({id_ for one in text for id_ in (*one.columns, *one.ref_columns)})
    insert(text, [id_ for id_, _ in assertions], tables, columns, None)
    refresh_roles({one.table for one in text})


def remove(target: str, assertions: Sequence[tuple[int, Assertion]]) -> None:
    """Take asserted parts out of the store, those too that stand aside while a column of theirs is gone."""
    ids = [id_ for id_, _ in assertions]
    owned: Any = StoredRelationship if target == "relationship" else StoredKey
    owned.objects.filter(pk__in=ids, asserted_at__isnull=False).delete()
    DetachedConstraint.objects.filter(target=target, object_id__in=ids).delete()
    refresh_roles({one.table for _, one in assertions})


def take_out(changes: Recorder, relationship_ids: Sequence[int]) -> None:
    """Take asserted relationships out, told in a change set so that undo puts them back."""
    rows = list(
        StoredRelationship.objects.filter(pk__in=relationship_ids, asserted_at__isnull=False).select_related("table")
    )
    for row in rows:
        label = f"{row.table.full_name}: {row.name}"
        changes.delete("relationship", row.pk, label, "asserted", before=msgspec.to_builtins(told_of(row)))
    StoredRelationship.objects.filter(pk__in=[row.pk for row in rows]).delete()
    refresh_roles({row.table_id for row in rows})


def detach(model_id: int) -> set[int]:
    """Take asserted parts out whose table or columns are gone, and keep them aside; return the tables they were on."""
    touched = set()
    kinds: list[tuple[str, Any]] = [("key", StoredKey), ("relationship", StoredRelationship)]
    for target, owned in kinds:
        other = (
            "or o.ref_table_id in (select id from model_table where removed_at is not null)"
            if target == "relationship"
            else ""
        )
        ends = "o.column_ids || o.ref_column_ids" if target == "relationship" else "o.column_ids"
        found = owned._default_manager.raw(
            f"select o.* from model_{target} o join model_table t on t.id = o.table_id where t.model_id = %s and o.asserted_at is not null "
            f"and (t.removed_at is not null {other} or exists (select 1 from model_column c where c.id = any({ends}) and c.removed_at is not null))",
            [model_id],
        )
        rows = list(found)
        DetachedConstraint.objects.bulk_create(
            DetachedConstraint(
                model_id=model_id, target=target, object_id=row.pk, assertion=msgspec.to_builtins(told_of(row))
            )
            for row in rows
        )
        owned._default_manager.filter(pk__in=[row.pk for row in rows]).delete()
        touched |= {row.table_id for row in rows}
    return touched


def reattach(model_id: int) -> set[int]:
    """Put asserted parts back whose table and columns are all there again; return the tables they are on."""
    rows = [
        (aside, msgspec.convert(aside.assertion, Assertion))
        for aside in DetachedConstraint.objects.filter(model_id=model_id)
    ]
    if not rows:
        return set()
    ids = {id_ for _, one in rows for id_ in (one.table, one.ref_table) if id_}
    tables = StoredTable.objects.filter(removed_at__isnull=True).in_bulk(ids)
    column_ids = {id_ for _, one in rows for id_ in (*one.columns, *one.ref_columns)}
    columns = StoredColumn.objects.filter(removed_at__isnull=True).in_bulk(column_ids)
    whole = [
        (aside, one)
        for aside, one in rows
        if one.table in tables
        and (not one.ref_table or one.ref_table in tables)
        and columns.keys() >= {*one.columns, *one.ref_columns}
    ]
    insert([one for _, one in whole], [aside.object_id for aside, _ in whole], tables, columns, None)
    DetachedConstraint.objects.filter(pk__in=[aside.pk for aside, _ in whole]).delete()
    return {one.table for _, one in whole}


def told_of(row: StoredKey | StoredRelationship) -> Assertion:
    """Return the assertion that a stored part is."""
    if isinstance(row, StoredKey):
        return Assertion(kind=row.kind, name=row.name, table=row.table_id, columns=row.column_ids)
    return Assertion(
        kind="foreign", name=row.name, table=row.table_id, columns=row.column_ids, ref_table=row.ref_table_id or 0,
        ref_columns=row.ref_column_ids, only_where=row.properties.get("only_where", ""),
    )  # fmt: skip


def columns_of(table_ids: Iterable[int]) -> list[int]:
    """Return the columns of tables: those whose rows in the dictionary follow a change of keys."""
    found = StoredColumn.objects.filter(table_id__in=list(table_ids), removed_at__isnull=True)
    return list(found.values_list("pk", flat=True))


def refresh_roles(table_ids: Iterable[int]) -> None:
    """Work out anew what columns of tables are part of, and what their relationships mean; the rows of the dictionary too."""
    ids = sorted(table_ids)
    with connection.cursor() as cursor:
        cursor.execute(_ROLES, {"ids": ids})
        cursor.execute(_MEANINGS, {"ids": ids})
    send_model_changed(columns=columns_of(ids))


_UNIQUE_INDEX = (
    "exists (select 1 from model_index i, jsonb_array_elements(i.properties->'parts') p where i.table_id = c.table_id and "
    "(i.properties->>'unique')::boolean and p->>'column' = coalesce(nullif(c.source_name, ''), c.name))"
)
_ROLES = f"""
with ends as (
  select table_id, unnest(column_ids) as id, case kind when 'primary' then 1 else 4 end as role
  from model_key where table_id = any(%(ids)s) and kind <> 'exclusion'
  union all select table_id, unnest(column_ids), 2 from model_relationship where table_id = any(%(ids)s)
), told as (select id, bit_or(role) as roles from ends group by 1), now as (
  select c.id, coalesce(t.roles, 0) | case when {_UNIQUE_INDEX} then 4 else 0 end as roles
  from model_column c left join told t on t.id = c.id where c.table_id = any(%(ids)s) and c.removed_at is null
)
update model_column c set roles = now.roles from now where now.id = c.id and now.roles <> c.roles"""
_MEANINGS = """
update model_relationship r set
  identifying = coalesce(r.column_ids <@ (select k.column_ids from model_key k where k.table_id = r.table_id and k.kind = 'primary' limit 1), false),
  optional = exists (select 1 from model_column c where c.id = any(r.column_ids) and c.nullable),
  one_to_one = exists (select 1 from model_key k where k.table_id = r.table_id and k.kind <> 'exclusion'
                       and k.column_ids <@ r.column_ids and r.column_ids <@ k.column_ids)
    or exists (
      select 1 from model_index i where i.table_id = r.table_id and (i.properties->>'unique')::boolean
      and i.properties->>'predicate' is null and jsonb_array_length(i.properties->'parts') = cardinality(r.column_ids)
      and cardinality(r.column_ids) = (
        select count(distinct c.id) from jsonb_array_elements(i.properties->'parts') p join model_column c
        on c.id = any(r.column_ids) and p->>'column' = coalesce(nullif(c.source_name, ''), c.name)))
    or r.one_to_one and r.asserted_at is null
where r.table_id = any(%(ids)s)"""
