"""Keeping the dictionary's rows true to the models, in sets: one statement for one column or a million."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import connection

# Every dictionary row is worked out here and nowhere else, from the view described_column.
_REFRESH = """
insert into dictionary_row (column_id, area_id, model_id, table_id, layer, sort_key, name, schema, kind,
                            family, roles, nullable, named, described, text, owned, classified, said)
select id, area_id, model_id, table_id, layer,
       lower(schema) || chr(1) || lower(table_name) || chr(1) || lpad(position::text, 5, '0') as sort_key,
       lower(name), schema, table_kind, family, roles, nullable, business_name <> '',
       definition <> '',
       lower(name || chr(10) || schema || '.' || table_name || chr(10) || business_name || chr(10) ||
             table_business_name || chr(10) || definition || chr(10) || comment),
       coalesce(s.owned, false), coalesce(s.classified, false), coalesce(s.said, '{{}}')
from described_column left join ({said}) s on s.column_id = id where {condition}
order by model_id, sort_key
on conflict (column_id) do update set
  sort_key = excluded.sort_key, name = excluded.name, schema = excluded.schema, kind = excluded.kind,
  family = excluded.family, roles = excluded.roles, nullable = excluded.nullable,
  named = excluded.named, described = excluded.described, text = excluded.text,
  owned = excluded.owned, classified = excluded.classified, said = excluded.said"""
_SAID = """
select column_id, bool_or(kind = 'owner' and value <> '') as owned,
       coalesce(bool_and(origin not in ('', 'default')) filter (where kind = 'class'), false) as classified,
       array_agg(aspect_id || ':' || value order by aspect_id) as said
from column_aspect where {condition} group by 1"""
"""What holds for columns, of those that a condition on column_id, table_id or model_id names."""


def _refreshing(column: str, test: str) -> str:
    """Return the statement that makes rows anew whose `column` (id, table_id or model_id) passes a test."""
    said = _SAID.format(condition=f"{'column_id' if column == 'id' else column} {test}")
    return _REFRESH.format(condition=f"{column} {test}", said=said)


def refresh_model(model_id: int) -> None:
    """Make the rows of a whole model anew."""
    with connection.cursor() as cursor:
        cursor.execute("delete from dictionary_row where model_id = %s", [model_id])
        cursor.execute(_refreshing("model_id", "= %s"), [model_id, model_id])


def refresh_columns(column_ids: Sequence[int]) -> None:
    """Bring the rows of some columns up to date, and of all columns that get their words from them."""
    with connection.cursor() as cursor:
        # Each step by its own index: one condition with OR over all of them would read every column there is.
        reached = set(column_ids)
        cursor.execute("select id from model_column where attribute_id = any(%s)", [list(column_ids)])
        reached.update(row[0] for row in cursor.fetchall())
        cursor.execute("select id from model_column where migrated_from_id = any(%s)", [list(column_ids)])
        brought = [row[0] for row in cursor.fetchall()]
        cursor.execute("select id from model_column where attribute_id = any(%s)", [brought])
        reached.update(brought, (row[0] for row in cursor.fetchall()))
        cursor.execute(_refreshing("id", "= any(%s)"), [sorted(reached), sorted(reached)])


def refresh_tables(table_ids: Sequence[int]) -> None:
    """Bring the rows of some tables up to date, and of all tables that implement them."""
    with connection.cursor() as cursor:
        cursor.execute("select id from model_table where entity_id = any(%s)", [list(table_ids)])
        reached = {*table_ids, *(row[0] for row in cursor.fetchall())}
        cursor.execute(_refreshing("table_id", "= any(%s)"), [sorted(reached), sorted(reached)])


def refresh_said(column: str, ids: Sequence[int]) -> None:
    """Bring what is said up to date in the rows whose `column` (column_id, table_id or model_id) is one of some ids."""
    said = _SAID.format(condition=f"{column} = any(%s)")
    with connection.cursor() as cursor:
        cursor.execute(
            "update dictionary_row r set owned = coalesce(s.owned, false), classified = coalesce(s.classified, false), "
            "said = coalesce(s.said, '{}') from dictionary_row o left join "
            f"({said}) s on s.column_id = o.column_id where o.column_id = r.column_id and o.{column} = any(%s) "
            "and (r.owned, r.classified, r.said) is distinct from "
            "(coalesce(s.owned, false), coalesce(s.classified, false), coalesce(s.said, '{}'))",
            [list(ids), list(ids)],
        )
