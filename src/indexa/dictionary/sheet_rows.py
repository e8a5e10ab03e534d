"""What a sheet of the dictionary holds of tables and columns: their words, and what is said of them, in words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from django.db import connection

from indexa.areas.models import Area
from indexa.core.dictionary.round_trip import SheetField, SheetRow
from indexa.describing.models import Aspect
from indexa.describing.saying import choices_of, in_words
from indexa.dictionary.search import SORTS, Query, conditions_of

_AT_ONCE = 5_000

_COLUMNS = """
select 'c' || d.id, m.name, d.schema, d.table_name, d.name, d.type, d.comment, d.business_name, d.definition, r.said, d.table_id
from unnest(%s::bigint[]) with ordinality wanted(id, place)
join described_column d on d.id = wanted.id join model m on m.id = d.model_id join dictionary_row r on r.column_id = d.id
where m.area_id = %s order by wanted.place"""
_TABLES = """
select t.id, 't' || t.id, m.name, t.schema, t.name, '', t.kind, t.comment, coalesce(nullif(t.business_name, ''), e.business_name, ''),
  coalesce(nullif(t.definition, ''), e.definition, ''), coalesce(s.said, '{}')
from model_table t join model m on m.id = t.model_id left join model_table e on e.id = t.entity_id
left join (select table_id, array_agg(aspect_id || ':' || value) as said from table_aspect where table_id = any(%s) group by 1) s
  on s.table_id = t.id
where t.id = any(%s) and m.area_id = %s and t.removed_at is null"""


def fields_of(area: Area) -> list[SheetField]:
    """Return the columns of a sheet that are edited: both words, and all that can be said of tables or columns."""
    found = [SheetField("business_name", "Business name", 30), SheetField("definition", "Definition", 60)]
    for aspect in Aspect.objects.filter(area=area, applies__overlap=["table", "column"]).prefetch_related("values"):
        choices = tuple(name for _, name in choices_of(aspect)) or (("yes", "no") if aspect.type == "yes or no" else ())
        found.append(SheetField(f"a{aspect.pk}", aspect.name, 22, choices))
    return found


def ids_of(query: Query) -> list[int]:
    """Return the ids of all columns that a query finds, in its order."""
    where, parameters = conditions_of(query)
    with connection.cursor() as cursor:
        cursor.execute(
            f"select column_id from dictionary_row where {where} order by {SORTS.get(query.sort, SORTS[''])}",
            parameters,
        )
        return [row[0] for row in cursor.fetchall()]


def rows_of(
    area: Area, column_ids: Sequence[int], table_ids: Sequence[int] = (), *, with_tables: bool = True
) -> Iterator[SheetRow]:
    """Yield columns by id in their order, each table before its first one, and after them the tables named."""
    told: set[int] = set()
    for start in range(0, len(column_ids), _AT_ONCE):
        with connection.cursor() as cursor:
            cursor.execute(_COLUMNS, [list(column_ids[start : start + _AT_ONCE]), area.pk])
            found = cursor.fetchall()
        tables = _tables(area, [row[-1] for row in found if row[-1] not in told]) if with_tables else {}
        words = in_words(_values(found, -2))
        for row in found:
            table = row[-1]
            if table in tables and table not in told:
                told.add(table)
                yield tables[table]
            yield _row(row[:-1], words, is_table=False)
    yield from _tables(area, [one for one in table_ids if one not in told]).values()


def _tables(area: Area, ids: Sequence[int]) -> dict[int, SheetRow]:
    if not ids:
        return {}
    wanted = list(set(ids))
    with connection.cursor() as cursor:
        cursor.execute(_TABLES, [wanted, wanted, area.pk])
        found = cursor.fetchall()
    words = in_words(_values(found, -1))
    return {row[0]: _row(row[1:], words, is_table=True) for row in found}


def _values(rows: Sequence[tuple[object, ...]], place: int) -> set[str]:
    return {one.partition(":")[2] for row in rows for one in row[place]}  # type: ignore[attr-defined]


def _row(row: Sequence[object], words: dict[str, str], *, is_table: bool) -> SheetRow:
    key, *shown, business_name, definition, said = row
    values = {"business_name": str(business_name), "definition": str(definition)}
    for one in said:  # type: ignore[attr-defined]
        aspect, _, value = one.partition(":")
        values[f"a{aspect}"] = words.get(value, value)
    return SheetRow(str(key), tuple(str(cell) for cell in shown), values, is_table)
