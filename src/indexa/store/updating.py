"""Bringing a stored model to another state of its source: only the tables that differ are touched.

Every object keeps its id, and with it every human word, through renames and moves. What the source no longer has stays in
the store as gone; what comes back is the object it was. Everything happens in the caller's transaction.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence

import msgspec
from django.db import connection

from indexa.core.compare.applying import Applied
from indexa.core.compare.comparing import Comparison
from indexa.core.logical.derive import derive_logical
from indexa.core.model import Model, Table
from indexa.core.model.translating import Name
from indexa.jobs.progress import Progress
from indexa.store import assertions
from indexa.store.bulk import reserve_ids
from indexa.store.known import KnownColumn, KnownTable
from indexa.store.locks import hold_for_storing
from indexa.store.models import Layer, StoredModel, StoredTable
from indexa.store.rows import OWNED_BY_TABLES, Parent, RowWriter, number_of
from indexa.store.signals import send_model_changed

_SOURCE_NAME = "coalesce(nullif({0}.source_name, ''), {0}.name)"


class Counts(msgspec.Struct):
    """How many objects are new, gone, or were changed."""

    new_tables: int = 0
    new_columns: int = 0
    gone_tables: int = 0
    gone_columns: int = 0
    changed_tables: int = 0

    def told(self) -> dict[str, int]:
        """Return the counts that are not nought, by readable name."""
        return {name.replace("_", " "): count for name, count in msgspec.structs.asdict(self).items() if count}


def update(
    physical: StoredModel, comparison: Comparison, applied: Applied, progress: Progress, *, objects: bool
) -> Counts:
    """Bring the store from the comparison's earlier state to the applied one; `objects` says whether those apart differ.

    The caller sets the model's snapshot. A table or column that a person gave another name keeps it.
    """
    assert physical.logical is not None
    hold_for_storing(physical.pk)
    hold_for_storing(physical.logical.pk)
    return _Updating(physical, comparison, applied, progress).run(objects=objects)


class _Updating:
    def __init__(self, physical: StoredModel, comparison: Comparison, applied: Applied, progress: Progress) -> None:
        assert physical.logical is not None
        self._physical, self._logical, self._progress = physical, physical.logical, progress
        self._model = applied.model
        self._was = applied.tables
        self._was_column = applied.columns
        self._by_name = {(table.schema, table.name): table for table in self._model.tables}
        self._touched = [self._by_name[name] for name in sorted(applied.touched)]
        kept = set(applied.tables.values())
        self._gone = [
            (table.schema, table.name) for table in comparison.before.tables if (table.schema, table.name) not in kept
        ]
        self._old: dict[str, KnownTable | KnownColumn] = {}
        self._counts = Counts()

    def run(self, *, objects: bool) -> Counts:
        """Touch what differs."""
        self._progress.report("Finding what is known", 0, len(self._touched))
        self._give_ids()
        entities = self._give_logical_ids()
        table_ids = [number_of(table.id) for table in self._touched]
        renamed = _renamed_parts(table_ids, self._physical.pk if objects else 0)
        self._clear(table_ids)
        writer = RowWriter(self._model.platform, self._progress, self._old, self._names_by_schema(), self._parents())
        fresh = [entity for entity in entities if entity.id in self._fresh_entities]
        writer.copy_tables(self._logical.pk, fresh, Layer.LOGICAL)
        writer.copy_columns(entities, Layer.LOGICAL)
        writer.copy_tables(self._physical.pk, self._touched, Layer.PHYSICAL)
        writer.copy_columns(self._touched, Layer.PHYSICAL)
        writer.copy_owned(self._touched)
        self._point_to_parents(table_ids)
        if objects:
            with connection.cursor() as cursor:
                cursor.execute("delete from model_object where model_id = %s", [self._physical.pk])
            writer.copy_objects(self._physical.pk, self._model)
        _rename_parts_again(renamed, self._physical.pk)
        self._follow(table_ids)
        return self._counts

    # identities ------------------------------------------------------------------------------------------------------

    def _give_ids(self) -> None:
        """Set the id of every touched table and column: the one it had, the one of what comes back, or a new one."""
        wanted = {self._was.get((table.schema, table.name), (table.schema, table.name)) for table in self._touched}
        living, gone = known_tables(self._physical.pk, {*wanted, *self._gone})
        new_tables, new_columns = [], []
        for table in self._touched:
            name = (table.schema, table.name)
            old = living.get(self._was[name]) if name in self._was else gone.get(name)
            if old is None:
                new_tables.append(table)
                new_columns += table.columns
                continue
            table.id = f"t{old.id}"
            self._old[table.id] = old
            self._counts.changed_tables += name in self._was
            by_name: dict[str, KnownColumn] = {}
            gone_columns: dict[str, KnownColumn] = {}
            for known in old.columns:
                (gone_columns if known.gone else by_name).setdefault(known.name_in_source, known)
            was = self._was_column.get(name, {})
            for column in table.columns:
                before = by_name.get(was[column.name]) if column.name in was else None
                before = (
                    before or gone_columns.get(column.name) or (None if name in self._was else by_name.get(column.name))
                )
                if before is None or before.found:
                    new_columns.append(column)
                    continue
                before.found = True
                column.id = f"c{before.id}"
                self._old[column.id] = before
            self._counts.gone_columns += sum(not known.found and not known.gone for known in old.columns)
        for number, table in zip(reserve_ids("model_table", len(new_tables)), new_tables, strict=True):
            table.id = f"t{number}"
        for number, column in zip(reserve_ids("model_column", len(new_columns)), new_columns, strict=True):
            column.id = f"c{number}"
        self._gone_ids = [living[name].id for name in self._gone if name in living]
        self._counts.new_tables, self._counts.new_columns = len(new_tables), len(new_columns)
        self._counts.gone_tables = len(self._gone_ids)
        self._counts.gone_columns += sum(
            sum(not known.gone for known in living[name].columns) for name in self._gone if name in living
        )

    def _give_logical_ids(self) -> list[Table]:
        """Link touched tables to their entities and make those that are missing; return what of them has to be stored."""
        derived = derive_logical(Model(name="", tables=self._touched), "")
        twins = self._twins(derived.tables)
        ids: dict[str, str] = {}
        fresh: list[Table] = []
        missing = []
        tables = {table.realises: table for table in self._touched if table.realises}
        for entity in derived.tables:
            table = tables[entity.id]
            old = self._old.get(table.id)
            twin = twins.get(entity.id)
            if old is not None and old.link:
                ids[entity.id] = f"t{old.link}"
            elif twin is not None:
                ids[entity.id] = f"t{twin.id}"
            else:
                fresh.append(entity)
            known = {column.name: column.id for column in twin.columns} if twin else {}
            for attribute, column in zip(entity.columns, table.columns, strict=True):
                before = self._old.get(column.id)
                if before is not None and before.link:
                    ids[attribute.id] = f"c{before.link}"
                elif attribute.name in known and (old is None or not old.link or old.link == (twin.id if twin else 0)):
                    ids[attribute.id] = f"c{known[attribute.name]}"
                else:
                    missing.append(attribute)
        known_ids = set(ids)
        for number, entity in zip(reserve_ids("model_table", len(fresh)), fresh, strict=True):
            ids[entity.id] = f"t{number}"
        for number, attribute in zip(reserve_ids("model_column", len(missing)), missing, strict=True):
            ids[attribute.id] = f"c{number}"
        for table in self._touched:
            table.realises = ids.get(table.realises, "")
            for column in table.columns:
                column.realises = ids.get(column.realises, "")
        self._fresh_entities = {ids[entity.id] for entity in fresh}
        for entity in derived.tables:
            entity.columns = [attribute for attribute in entity.columns if attribute.id not in known_ids]
            entity.id = ids[entity.id]
            for attribute in entity.columns:
                attribute.id, attribute.migrated_from = ids[attribute.id], ids.get(attribute.migrated_from, "")
        return derived.tables

    def _twins(self, entities: Sequence[Table]) -> dict[str, KnownTable]:
        """Return the stored entity of each derived one: the one its table implements, or one of its name that no other does.

        An entity whose name another table's entity has gets the schema of its table. Keyed by the derived id.
        """
        tables = {table.realises: table for table in self._touched if table.realises}
        names = {(schema, entity.name) for entity in entities for schema in ("", tables[entity.id].schema)}
        known, _ = known_tables(self._logical.pk, names)
        by_id = {one.id: one for one in known.values()}
        others = StoredTable.objects.filter(model=self._physical, entity_id__in=list(by_id), removed_at__isnull=True)
        taken = set(others.values_list("entity_id", flat=True))
        found: dict[str, KnownTable] = {}
        for entity in entities:
            table = tables[entity.id]
            old = self._old.get(table.id)
            if old is not None and old.link:
                if old.link in by_id:
                    found[entity.id] = by_id[old.link]
                continue
            plain = known.get(("", entity.name))
            if plain is not None and plain.id in taken:
                entity.schema = table.schema
            twin = known.get((entity.schema, entity.name))
            if twin is not None and twin.id not in taken:
                found[entity.id] = twin
        return found

    def _names_by_schema(self) -> dict[str, set[str]]:
        found: dict[str, set[str]] = defaultdict(set)
        for schema, name in self._by_name:
            found[schema].add(name)
        return found

    def _parents(self) -> dict[Name, Parent]:
        """Return what touched tables refer to and that is not touched itself."""
        own = {(table.schema, table.name) for table in self._touched}
        wanted = {(key.ref_schema, key.ref_table) for table in self._touched for key in table.foreign_keys} - own
        living, _ = known_tables(self._physical.pk, {self._was.get(name, name) for name in wanted})
        found = {}
        for name in wanted:
            known = living.get(self._was.get(name, name))
            if known is not None:
                found[name] = Parent(
                    known.id, {column.name_in_source: column.id for column in known.columns if not column.gone}
                )
        return found

    # rows ------------------------------------------------------------------------------------------------------------

    def _clear(self, table_ids: list[int]) -> None:
        """Take out the rows that are about to be copied again; mark what is missing as gone."""
        columns = [number_of(column.id) for table in self._touched for column in table.columns]
        with connection.cursor() as cursor:
            for name in OWNED_BY_TABLES:
                asserted = "and asserted_at is null" if name in ("model_key", "model_relationship") else ""
                cursor.execute(
                    f"delete from {name} where table_id = any(%s) {asserted}", [[*table_ids, *self._gone_ids]]
                )
            cursor.execute(
                "update model_relationship set ref_table_id = null where ref_table_id = any(%s) and asserted_at is null",
                [self._gone_ids],
            )
            send_model_changed(gone_tables=[*table_ids, *self._gone_ids])
            cursor.execute("delete from model_column where id = any(%s)", [columns])
            cursor.execute(
                "update model_column set removed_at = now() where removed_at is null and table_id = any(%s)",
                [[*table_ids, *self._gone_ids]],
            )
            cursor.execute(
                "delete from model_table where id = any(%s) and model_id = %s", [table_ids, self._physical.pk]
            )
            cursor.execute(
                "update model_table set removed_at = now() where removed_at is null and id = any(%s)", [self._gone_ids]
            )

    def _point_to_parents(self, table_ids: list[int]) -> None:
        """Let relationships of other tables find a touched table that was not there before."""
        new = [table for table in self._touched if (table.schema, table.name) not in self._was]
        with connection.cursor() as cursor:
            for table in new:
                columns = {column.name: number_of(column.id) for column in table.columns}
                cursor.execute(
                    "select r.id, r.properties->'ref_columns' from model_relationship r join model_table t on t.id = r.table_id "
                    "where t.model_id = %s and r.ref_table_id is null and r.properties->>'ref_table' = %s and coalesce(r.properties->>'ref_schema', '') = %s",
                    [self._physical.pk, table.name, table.schema],
                )
                for id_, text in cursor.fetchall():
                    names = msgspec.json.decode(text) if isinstance(text, str) else text
                    ids = [columns[name] for name in names or () if name in columns]
                    cursor.execute(
                        "update model_relationship set ref_table_id = %s, ref_column_ids = %s where id = %s",
                        [number_of(table.id), ids, id_],
                    )

    def _follow(self, table_ids: list[int]) -> None:
        """Bring up to date what depends on the touched tables: assertions, entities' keys, roles, the dictionary's rows."""
        touched = set(table_ids)
        with connection.cursor() as cursor:
            # What a person asserted and the source declares from now on is the source's.
            cursor.execute(
                "delete from model_relationship o using model_relationship d where o.asserted_at is not null and d.asserted_at is null "
                "and d.table_id = o.table_id and d.column_ids = o.column_ids and d.ref_table_id = o.ref_table_id and o.table_id = any(%s)",
                [table_ids],
            )
            cursor.execute(
                "delete from model_key o using model_key d where o.asserted_at is not null and d.asserted_at is null "
                "and d.table_id = o.table_id and (d.kind = 'primary' and o.kind = 'primary' or d.column_ids = o.column_ids) "
                "and o.table_id = any(%s)",
                [table_ids],
            )
        touched |= assertions.reattach(self._physical.pk)
        touched |= assertions.detach(self._physical.pk)
        self._follow_one_layer_up(table_ids)
        assertions.refresh_roles(touched)
        entities = sorted({number_of(table.realises) for table in self._touched if table.realises})
        send_model_changed(tables=[*table_ids, *entities])

    def _follow_one_layer_up(self, table_ids: list[int]) -> None:
        """Give entities the relationships that their tables have and they have not, and let them bring words along."""
        sql = """
        insert into model_relationship (table_id, ref_table_id, name, column_ids, ref_column_ids, identifying, optional, one_to_one, properties)
        select distinct on (t.entity_id, own.ids) t.entity_id, p.entity_id, r.name, own.ids, theirs.ids, r.identifying, r.optional,
               r.one_to_one, r.properties
        from model_relationship r join model_table t on t.id = r.table_id join model_table p on p.id = r.ref_table_id
        cross join lateral (select array_agg(c.attribute_id order by u.place) as ids from unnest(r.column_ids) with ordinality u(id, place)
                            join model_column c on c.id = u.id) own
        cross join lateral (select array_agg(c.attribute_id order by u.place) as ids from unnest(r.ref_column_ids) with ordinality u(id, place)
                            join model_column c on c.id = u.id) theirs
        where r.table_id = any(%s) and t.entity_id is not null and p.entity_id is not null
          and array_position(own.ids, null) is null and array_position(theirs.ids, null) is null
          and not exists (select 1 from model_relationship e where e.table_id = t.entity_id and e.column_ids = own.ids)
        returning column_ids, ref_column_ids"""
        with connection.cursor() as cursor:
            cursor.execute(sql, [table_ids])
            pairs = [
                (own, theirs) for columns, refs in cursor.fetchall() for own, theirs in zip(columns, refs, strict=False)
            ]
        assertions.bring(None, pairs)


def known_tables(model_id: int, names: Collection[Name]) -> tuple[dict[Name, KnownTable], dict[Name, KnownTable]]:
    """Return the tables of a model by the name that the source had for them: the living ones, and those that are gone."""
    living: dict[Name, KnownTable] = {}
    gone: dict[Name, KnownTable] = {}
    by_id: dict[int, KnownTable] = {}
    if not names:
        return living, gone
    schemas, tables = zip(*sorted(names), strict=True)
    with connection.cursor() as cursor:
        cursor.execute(
            "select t.id, t.schema, t.name, t.origin, t.business_name, t.definition, t.entity_id, t.source_name, t.table_role, t.removed_at is not null "
            f"from model_table t join unnest(%s::text[], %s::text[]) w(schema, name) on w.schema = t.schema and w.name = {_SOURCE_NAME.format('t')} "
            "where t.model_id = %s order by t.removed_at desc nulls first, t.id desc",
            [list(schemas), list(tables), model_id],
        )
        for *values, is_gone in cursor:
            known = by_id[values[0]] = KnownTable(*values)
            (gone if is_gone else living).setdefault((known.schema, known.name_in_source), known)
        cursor.execute(
            "select c.table_id, c.id, c.name, c.type, c.origin, c.business_name, c.definition, c.attribute_id, c.source_name, c.removed_at is not null "
            "from model_column c where c.table_id = any(%s) order by c.removed_at desc nulls first, c.id desc",
            [list(by_id)],
        )
        for table_id, *values in cursor:
            by_id[table_id].columns.append(KnownColumn(*values))
    for known in gone.values():
        for column in known.columns:
            column.gone = True
    return living, gone


Renamed = list[tuple[str, int, str, str]]
"""Kind of part, id of its table (0 for a sequence), the source's name, today's name."""


def _renamed_parts(table_ids: Iterable[int], objects_of: int) -> Renamed:
    """Return the parts of tables, and the sequences of a model, that a person gave another name than the source's."""
    found: Renamed = []
    with connection.cursor() as cursor:
        for name in OWNED_BY_TABLES:
            cursor.execute(
                f"select o.table_id, coalesce(o.properties->>'name', ''), o.name from {name} o "
                "where o.table_id = any(%s) and o.name <> coalesce(o.properties->>'name', '')",
                [list(table_ids)],
            )
            found += [(name, *row) for row in cursor.fetchall()]
        cursor.execute(
            "select 0, properties->>'schema' || '.' || (properties->>'name'), name from model_object "
            "where model_id = %s and kind = 'sequence' and name <> coalesce(properties->>'name', '')",
            [objects_of],
        )
        found += [("model_object", *row) for row in cursor.fetchall()]
    return found


def _rename_parts_again(renamed: Renamed, model_id: int) -> None:
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
                f"update {table} o set name = v.name from (select unnest(%s::bigint[]) as owner, unnest(%s::text[]) as source_name, "
                f"unnest(%s::text[]) as name) v where {owner} = v.source_name",
                [*(list(column) for column in zip(*rows, strict=True)), model_id],
            )
