"""Keeping the dictionary's rows true to the models, in sets: one statement for one column or a million."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import connection

# Every dictionary row is worked out here and nowhere else, from the view described_column.
_REFRESH = """
insert into dictionary_row (column_id, area_id, model_id, table_id, layer, sort_key, name, schema, kind,
                            family, roles, nullable, named, described, text)
select id, area_id, model_id, table_id, layer,
       lower(schema) || chr(1) || lower(table_name) || chr(1) || lpad(position::text, 5, '0') as sort_key,
       lower(name), schema, table_kind, family, roles, nullable, business_name <> '',
       definition <> '',
       lower(name || chr(10) || schema || '.' || table_name || chr(10) || business_name || chr(10) ||
             table_business_name || chr(10) || definition || chr(10) || comment)
from described_column where {condition}
order by model_id, sort_key
on conflict (column_id) do update set
  sort_key = excluded.sort_key, name = excluded.name, schema = excluded.schema, kind = excluded.kind,
  family = excluded.family, roles = excluded.roles, nullable = excluded.nullable,
  named = excluded.named, described = excluded.described, text = excluded.text"""


def refresh_model(model_id: int) -> None:
    """Make the rows of a whole model anew."""
    with connection.cursor() as cursor:
        cursor.execute("delete from dictionary_row where model_id = %s", [model_id])
        cursor.execute(_REFRESH.format(condition="model_id = %s"), [model_id])


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
        cursor.execute(_REFRESH.format(condition="id = any(%s)"), [sorted(reached)])


def refresh_tables(table_ids: Sequence[int]) -> None:
    """Bring the rows of some tables up to date, and of all tables that implement them."""
    with connection.cursor() as cursor:
        cursor.execute("select id from model_table where entity_id = any(%s)", [list(table_ids)])
        reached = {*table_ids, *(row[0] for row in cursor.fetchall())}
        cursor.execute(_REFRESH.format(condition="table_id = any(%s)"), [sorted(reached)])
