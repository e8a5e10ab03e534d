"""What the pages of models ask of the store."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import msgspec
from django.db import connection
from django.db.models import Count, Q, QuerySet

from indexa.areas.models import Area
from indexa.changes.models import Change, ChangeSet
from indexa.core.model import Index
from indexa.core.model.renaming import renamed_in
from indexa.store.loading import index_today
from indexa.store.models import DescribedColumn, StoredColumn, StoredModel, StoredRelationship, StoredTable


@dataclass(frozen=True, slots=True)
class Coverage:
    """How much of a model is there and described."""

    tables: int
    views: int
    columns: int
    described: int
    named: int
    relationships: int


def coverage(models: list[StoredModel]) -> dict[int, Coverage]:
    """Count what models hold, in three queries for all of them."""
    ids = [model.pk for model in models]
    tables: dict[int, dict[str, Any]] = {
        row["model_id"]: dict(row)
        for row in StoredTable.objects.filter(model_id__in=ids, removed_at__isnull=True)
        .values("model_id")
        .annotate(
            views=Count("pk", filter=Q(kind__endswith="view")),
            tables=Count("pk", filter=~Q(kind__endswith="view")),
        )
    }
    columns: dict[int, tuple[int, int, int]] = {}
    relationships: dict[int, int] = {}
    with connection.cursor() as cursor:
        cursor.execute(
            "select model_id, sum(columns)::int, sum(described)::int, sum(named)::int "
            "from dictionary_coverage where model_id = any(%s) group by 1",
            [ids],
        )
        columns = {model_id: counts for model_id, *counts in cursor}  # type: ignore[misc]
        cursor.execute(
            "select t.model_id, count(*) from model_relationship r join model_table t on t.id = r.table_id "
            "where t.model_id = any(%s) and t.removed_at is null group by 1",
            [ids],
        )
        relationships = dict(cursor)
    return {
        id_: Coverage(
            tables.get(id_, {}).get("tables", 0),
            tables.get(id_, {}).get("views", 0),
            *columns.get(id_, (0, 0, 0)),
            relationships.get(id_, 0),
        )
        for id_ in ids
    }


@dataclass(frozen=True, slots=True)
class Landmark:
    """A much connected table: how many relationships go out of it, and how many come in."""

    id: int
    full_name: str
    refers: int
    referred: int


def landmarks(model: StoredModel, limit: int = 8) -> list[Landmark]:
    """Return the most connected tables: the ends of most relationships, both ways."""
    sql = """
    with ends as (
      select r.table_id as id, 1 as refers, 0 as referred from model_relationship r
      join model_table t on t.id = r.table_id where t.model_id = %(model)s
      union all
      select r.ref_table_id, 0, 1 from model_relationship r
      join model_table t on t.id = r.ref_table_id where t.model_id = %(model)s
    ), most as (
      select id, sum(refers) as refers, sum(referred) as referred from ends group by 1
    )
    select t.id, concat_ws('.', nullif(t.schema, ''), t.name), most.refers, most.referred
    from most join model_table t on t.id = most.id where t.removed_at is null
    order by most.refers + most.referred desc, 2 limit %(limit)s"""
    with connection.cursor() as cursor:
        cursor.execute(sql, {"model": model.pk, "limit": limit})
        return [Landmark(*row) for row in cursor]


TABLE_SORTS = ("", "business_name", "kind", "columns", "described", "refers", "referred")
"""What a model's tables can be sorted by; "" is their name, a minus before it turns the order around."""


def table_rows(
    model: StoredModel, text: str, page: int, size: int, *, sort: str = "", views_only: bool = False
) -> tuple[list[dict[str, Any]], int]:
    """Return one page of a model's tables with counts and degrees, and how many there are in all."""
    key, turned = sort.removeprefix("-"), "desc" if sort.startswith("-") else ""
    by_name = f"lower(schema) {turned}, lower(name) {turned}"
    order = f"{key} {turned} nulls last, lower(schema), lower(name)" if key in TABLE_SORTS[1:] else by_name
    sql = f"""
    with found as (
      select t.id, t.schema, t.name, t.kind, t.comment,
             coalesce(nullif(t.business_name, ''), e.business_name, '') as business_name,
             coalesce(nullif(t.definition, ''), e.definition, '') as definition, count(*) over () as total,
             coalesce(d.columns, 0) as columns, coalesce(d.described, 0) as described,
             coalesce(child.n, 0) as refers, coalesce(parent.n, 0) as referred
      from model_table t left join model_table e on e.id = t.entity_id
      left join dictionary_coverage d on d.table_id = t.id
      left join (select r.table_id, count(*) as n from model_relationship r join model_table o on o.id = r.table_id
                 where o.model_id = %(model)s group by 1) child on child.table_id = t.id
      left join (select r.ref_table_id, count(*) as n from model_relationship r join model_table o on o.id = r.ref_table_id
                 where o.model_id = %(model)s group by 1) parent on parent.ref_table_id = t.id
      where t.model_id = %(model)s and t.removed_at is null and (not %(views)s or t.kind like '%%view')
        and (%(text)s = '' or position(%(text)s in lower(t.schema || '.' || t.name || ' ' || t.business_name || ' ' ||
             coalesce(e.business_name, ''))) > 0)
    )
    select * from found order by {order} offset %(offset)s limit %(size)s"""
    with connection.cursor() as cursor:
        cursor.execute(
            sql,
            {
                "model": model.pk,
                "text": text.lower().strip(),
                "views": views_only,
                "offset": (page - 1) * size,
                "size": size,
            },
        )
        names = [column.name for column in cursor.description]
        rows = [dict(zip(names, row, strict=True)) for row in cursor]
    return rows, rows[0]["total"] if rows else 0


def visible_tables(area: Area) -> QuerySet[StoredTable]:
    """Tables of an area that are not gone."""
    return StoredTable.objects.filter(model__area=area, removed_at__isnull=True)


def columns_of(table: StoredTable) -> list[DescribedColumn]:
    """Columns of a table in their order, with the words they show."""
    return list(DescribedColumn.objects.filter(table_id=table.pk).order_by("position"))


@dataclass(slots=True)
class Reference:
    """A relationship as one of its two tables sees it: the other table, and the column pairs."""

    relationship: StoredRelationship
    other: StoredTable | None
    other_name: str
    pairs: list[tuple[str, str]]
    by: str = ""
    """Who asserted it; "" for a declared one."""


def references(table: StoredTable) -> tuple[list[Reference], list[Reference]]:
    """Return what a table refers to and what refers to it, in three queries."""
    out = list(StoredRelationship.objects.filter(table=table).select_related("ref_table__entity").order_by("name"))
    incoming = list(
        StoredRelationship.objects.filter(ref_table=table, table__removed_at__isnull=True)
        .select_related("table__entity")
        .order_by("table__schema", "table__name", "name")
    )
    ids = {id_ for r in [*out, *incoming] for id_ in [*r.column_ids, *r.ref_column_ids]}
    names = dict(StoredColumn.objects.filter(pk__in=ids).values_list("pk", "name"))

    def pairs(r: StoredRelationship) -> list[tuple[str, str]]:
        own = [names.get(id_, "?") for id_ in r.column_ids]
        theirs = [names.get(id_, "?") for id_ in r.ref_column_ids] or list(r.properties.get("ref_columns", []))
        return list(zip(own, theirs, strict=False))

    refers = [
        Reference(
            r,
            r.ref_table,
            r.ref_table.full_name if r.ref_table else f"{r.properties['ref_schema']}.{r.properties['ref_table']}",
            pairs(r),
        )
        for r in out
    ]
    referred = [Reference(r, r.table, r.table.full_name, pairs(r)) for r in incoming]
    asserted = asserted_by("relationship", [r.pk for r in [*out, *incoming] if r.asserted_at])
    for reference in [*refers, *referred]:
        reference.by = asserted.get(reference.relationship.pk, "")
    return refers, referred


def supertype_of(table: StoredTable, refers: list[Reference]) -> StoredTable | None:
    """Return the table that a subtype's key refers to; None for a table that plays another role."""
    if "subtype" not in table.table_role:
        return None
    parents = (one for one in refers if one.relationship.identifying and one.relationship.one_to_one and one.other)
    return next((one.other for one in parents), None)


def asserted_by(target: str, ids: list[int]) -> dict[int, str]:
    """Return who asserted keys or relationships, and when, in words; no query where there are none."""
    if not ids:
        return {}
    changes = Change.objects.filter(target=target, object_id__in=ids, field="asserted").exclude(after="")
    return {
        change.object_id: f"{change.change_set.person.display_name if change.change_set.person else 'somebody'}, {change.change_set.at:%-d %b %Y}"
        for change in changes.select_related("change_set__person").order_by("pk")
    }


def _renamed(table: StoredTable) -> dict[str, str]:
    renamed = StoredColumn.objects.filter(table=table, removed_at__isnull=True).exclude(source_name="")
    return dict(renamed.values_list("source_name", "name"))


class Fact(NamedTuple):
    """An index or a check of a table: its name, and the core's record of it in the names of today."""

    name: str
    properties: dict[str, Any]


def indexes_of(table: StoredTable) -> list[Fact]:
    """Return the indexes of a table by name."""
    found = table.indexes.order_by("name").values_list("name", "properties")
    renamed = _renamed(table)
    if not renamed:
        return [Fact(name, properties) for name, properties in found]
    return [
        Fact(name, msgspec.to_builtins(index_today(msgspec.convert(properties, Index), renamed)))
        for name, properties in found
    ]


def checks_of(table: StoredTable) -> list[Fact]:
    """Return the checks of a table by name."""
    renamed = _renamed(table)
    return [
        Fact(name, properties | {"expression": renamed_in(properties.get("expression", ""), renamed)})
        for name, properties in table.checks.order_by("name").values_list("name", "properties")
    ]


_TOLD_BY_THEMSELVES = frozenset({"business_name", "definition", "name"})


@dataclass(slots=True)
class ShownSet:
    """A change set with its first changes, and how many there are more."""

    set: ChangeSet
    first: list[Change]
    rest: int

    @property
    def told_by_why(self) -> bool:
        """True where its reason says more than its changes, which are those of decisions and keys."""
        source = self.set.undoes or self.set
        return bool(source.why) and any(change.field not in _TOLD_BY_THEMSELVES for change in self.first)

    @property
    def can_be_undone(self) -> bool:
        """True of what a person did and of what was redone; a first reading can't be undone."""
        kind = self.set.kind
        own = kind in (ChangeSet.Kind.EDIT, ChangeSet.Kind.REDO)
        return self.set.in_force and (
            own or (kind == ChangeSet.Kind.INTAKE and self.set.before_snapshot_id is not None)
        )

    @property
    def can_be_redone(self) -> bool:
        """True of an undo that was not redone."""
        return self.set.in_force and self.set.kind == ChangeSet.Kind.UNDO


def change_sets(model: StoredModel, start: int, limit: int, shown: int = 3) -> list[ShownSet]:
    """Return change sets of a model and its logical one, newest first; two queries, however many changes they hold."""
    ids = [model.pk, *([model.logical_id] if model.logical_id else [])]
    return shown_sets(ChangeSet.objects.filter(model_id__in=ids).order_by("-id")[start : start + limit], shown)


def shown_sets(sets: QuerySet[ChangeSet], shown: int = 3) -> list[ShownSet]:
    """Return change sets, each with its first changes; two queries, however many changes they hold."""
    found = list(sets.select_related("person", "undoes"))
    first: dict[int, list[Change]] = {one.pk: [] for one in found}
    rest: dict[int, int] = {}
    raw = Change.objects.raw(
        "select c.*, n.count from unnest(%s::bigint[]) s(id) cross join lateral (select count(*) from change where change_set_id = s.id) n "
        "cross join lateral (select * from change where change_set_id = s.id order by id limit %s) c order by c.id",
        [list(first), shown],
    )
    for change in raw:
        first[change.change_set_id].append(change)
        rest[change.change_set_id] = change.count - shown  # type: ignore[attr-defined]
    return [ShownSet(one, first[one.pk], max(0, rest.get(one.pk, 0))) for one in found]
