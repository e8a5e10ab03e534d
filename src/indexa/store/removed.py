"""What the source no longer has and the model still keeps: told, and let go for good when a person says so."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import connection

from indexa.store.models import DetachedConstraint, StoredColumn, StoredModel, StoredTable
from indexa.store.signals import send_model_changed

_WORDS = "(o.business_name <> '' or o.definition <> '' or coalesce(a.business_name, '') <> '' or coalesce(a.definition, '') <> '')"

_WORDED_COLUMN = (
    "select 1 from model_column c left join model_column b on b.id = c.attribute_id where c.table_id = o.id and "
    "(c.business_name <> '' or c.definition <> '' or coalesce(b.business_name, '') <> '' or coalesce(b.definition, '') <> '')"
)


def gone_rows(model: StoredModel, limit: int = 500) -> tuple[list[dict[str, Any]], int]:
    """Return what is gone from a model, tables before columns, with the words it still has; and how much there is."""
    sql = f"""
    with gone as (
      select 'table' as target, o.id, case when o.schema = '' then o.name else o.schema || '.' || o.name end as label, o.removed_at,
             coalesce(nullif(o.business_name, ''), a.business_name, '') as business_name,
             coalesce(nullif(o.definition, ''), a.definition, '') as definition, {_WORDS} as has_words
      from model_table o left join model_table a on a.id = o.entity_id where o.model_id = %(model)s and o.removed_at is not null
      union all
      select 'column', o.id, case when t.schema = '' then t.name else t.schema || '.' || t.name end || '.' || o.name, o.removed_at,
             coalesce(nullif(o.business_name, ''), a.business_name, ''), coalesce(nullif(o.definition, ''), a.definition, ''), {_WORDS}
      from model_column o join model_table t on t.id = o.table_id left join model_column a on a.id = o.attribute_id
      where t.model_id = %(model)s and o.removed_at is not null and t.removed_at is null
    ) select *, count(*) over () as total from gone order by has_words desc, target desc, label limit %(limit)s"""
    with connection.cursor() as cursor:
        cursor.execute(sql, {"model": model.pk, "limit": limit})
        names = [column.name for column in cursor.description]
        rows = [dict(zip(names, row, strict=True)) for row in cursor]
    return rows, rows[0]["total"] if rows else 0


def count(model: StoredModel) -> int:
    """Return how many tables, and columns of tables that are there, are gone from a model."""
    tables = StoredTable.objects.filter(model=model, removed_at__isnull=False).count()
    columns = StoredColumn.objects.filter(table__model=model, table__removed_at__isnull=True, removed_at__isnull=False)
    return tables + columns.count()


def purge(
    model: StoredModel, *, table_ids: Sequence[int], column_ids: Sequence[int], only_wordless: bool = False
) -> int:
    """Delete gone tables and columns of a model for good; returns how many.

    The entity or attribute goes too, if nothing else implements it. With only_wordless nothing goes that has words
    anywhere.
    """
    wordless = f"and not {_WORDS}" if only_wordless else ""
    inside = f"and not exists ({_WORDED_COLUMN})" if only_wordless else ""
    with connection.cursor() as cursor:
        cursor.execute(
            f"select o.id, o.entity_id from model_table o left join model_table a on a.id = o.entity_id "
            f"where o.model_id = %s and o.id = any(%s) and o.removed_at is not null {wordless} {inside}",
            [model.pk, list(table_ids)],
        )
        tables = cursor.fetchall()
        ids = [row[0] for row in tables]
        cursor.execute(
            "select o.id, o.attribute_id from model_column o join model_table t on t.id = o.table_id left join model_column a on a.id = o.attribute_id "
            f"where t.model_id = %s and o.removed_at is not null and (o.table_id = any(%s) or o.id = any(%s) {wordless})",
            [model.pk, ids, list(column_ids)],
        )
        columns = cursor.fetchall()
        for name in ("model_key", "model_relationship", "model_index", "model_check"):
            cursor.execute(f"delete from {name} where table_id = any(%s)", [ids])
        column_set = [row[0] for row in columns]
        send_model_changed(gone_columns=column_set)
        cursor.execute("delete from model_column where id = any(%s)", [column_set])
        cursor.execute("delete from model_table where id = any(%s)", [ids])
        _let_go_above(cursor, [row[1] for row in tables if row[1]], [row[1] for row in columns if row[1]])
    DetachedConstraint.objects.filter(model=model, assertion__table__in=ids).delete()
    return len(tables) + len([row for row in columns if row[0] in set(column_ids)])


def _let_go_above(cursor: Any, entity_ids: list[int], attribute_ids: list[int]) -> None:
    """Take out entities and attributes that nothing implements any more."""
    alone = "not exists (select 1 from model_column c where c.attribute_id = a.id)"
    cursor.execute(f"select a.id from model_column a where a.id = any(%s) and {alone}", [attribute_ids])
    attributes = [row[0] for row in cursor.fetchall()]
    cursor.execute("update model_column set migrated_from_id = null where migrated_from_id = any(%s)", [attributes])
    send_model_changed(gone_columns=attributes)
    cursor.execute(
        "delete from model_relationship where column_ids && %s::bigint[] or ref_column_ids && %s::bigint[]",
        [attributes, attributes],
    )
    cursor.execute("delete from model_key where column_ids && %s::bigint[]", [attributes])
    cursor.execute("delete from model_column where id = any(%s)", [attributes])
    cursor.execute(
        "delete from model_table e where e.id = any(%s) and not exists (select 1 from model_table t where t.entity_id = e.id) "
        "and not exists (select 1 from model_column c where c.table_id = e.id)",
        [entity_ids],
    )
