"""All relationships of a model as a list: filtered, sorted, a page at a time."""

from __future__ import annotations

from typing import NamedTuple

from django.db import connection

from indexa.store.models import StoredModel

SHOWN = {
    "": "all",
    "declared": "declared",
    "asserted": "asserted",
    "identifying": "identifying",
    "outside": "to other models",
}
_CONDITIONS = {
    "": "true",
    "declared": "r.asserted_at is null",
    "asserted": "r.asserted_at is not null",
    "identifying": "r.identifying",
    "outside": "r.ref_table_id is null",
}
SORTS = {
    "": "child, name",
    "-child": "child desc, name desc",
    "parent": "parent, child, name",
    "-parent": "parent desc, child desc, name desc",
    "name": "name, child",
    "-name": "name desc, child",
}


class RelationshipRow(NamedTuple):
    """A relationship with the names of both its ends; `parent_id` is None for a table outside of the model."""

    child_id: int
    child: str
    columns: str
    parent_id: int | None
    parent: str
    ref_columns: str
    name: str
    identifying: bool
    optional: bool
    one_to_one: bool
    is_asserted: bool

    @property
    def cardinality(self) -> str:
        """How many rows of the child belong to one of the parent, and whether a row of the child needs a parent."""
        return f"{'one' if self.one_to_one else 'many'} to {'zero or one' if self.optional else 'one'}"


_NAMED = """
with named as (
  select r.*, concat_ws('.', nullif(t.schema, ''), t.name) as child,
         case when p.id is null then concat_ws('.', nullif(r.properties->>'ref_schema', ''), r.properties->>'ref_table')
              else concat_ws('.', nullif(p.schema, ''), p.name) end as parent
  from model_relationship r join model_table t on t.id = r.table_id left join model_table p on p.id = r.ref_table_id
  where t.model_id = %(model)s and t.removed_at is null
)"""
_MATCHES = "(%(text)s = '' or position(%(text)s in lower(concat_ws(' ', child, parent, name))) > 0)"
_COLUMNS = """coalesce((select string_agg(c.name, ', ' order by u.place)
from unnest({ids}) with ordinality u(id, place) join model_column c on c.id = u.id), '')"""


def relationship_rows(
    model: StoredModel, *, text: str, shown: str, sort: str, page: int, size: int
) -> tuple[list[RelationshipRow], dict[str, int]]:
    """Return one page of relationships, and how many there are of each kind that can be shown, under the text."""
    rows_sql = f"""{_NAMED}, page as (
      select * from named r where ({_CONDITIONS[shown]}) and {_MATCHES} order by {SORTS[sort]} offset %(offset)s limit %(size)s
    )
    select table_id, child, {_COLUMNS.format(ids="column_ids")}, ref_table_id, parent, {_COLUMNS.format(ids="ref_column_ids")},
           name, identifying, optional, one_to_one, asserted_at is not null
    from page order by {SORTS[sort]}"""
    counts = ", ".join(f"count(*) filter (where {condition})" for condition in _CONDITIONS.values())
    counts_sql = f"{_NAMED} select {counts} from named r where {_MATCHES}"
    values: dict[str, str | int] = {"model": model.pk, "text": text.lower(), "offset": (page - 1) * size, "size": size}
    with connection.cursor() as cursor:
        cursor.execute(rows_sql, values)
        rows = [RelationshipRow(*row) for row in cursor.fetchall()]
        cursor.execute(counts_sql, values)
        return rows, dict(zip(_CONDITIONS, cursor.fetchone(), strict=True))
