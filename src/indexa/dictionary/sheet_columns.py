"""Sheets of tables and columns: their words and what is said of them, in words, and writing both back."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence

from django.db import connection

from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder
from indexa.core.dictionary.round_trip import FIXED, CellChange, SheetField, SheetRow
from indexa.describing import saying
from indexa.describing.models import Aspect
from indexa.describing.saying import choices_of, in_words
from indexa.dictionary.models import SheetCell
from indexa.dictionary.search import SORTS, Query, aspect_of, conditions_of
from indexa.modeling import editing
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing
from indexa.store.models import StoredColumn, StoredTable

__all__ = ["FIXED", "apply", "fields_of", "ids_of", "label_of", "problem_of", "rows_of", "rows_of_keys"]

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


def rows_of_keys(area: Area, keys: Collection[str] | None) -> Iterator[SheetRow]:
    """Yield the columns and tables of some keys, "c12" and "t3"."""
    columns = [int(key[1:]) for key in keys or () if key[0] == "c"]
    tables = [int(key[1:]) for key in keys or () if key[0] == "t"]
    return rows_of(area, columns, tables, with_tables=False)


def label_of(row: SheetRow) -> str:
    """Return the full name of a table or column."""
    return ".".join(part for part in row.shown[1:4] if part)


def problem_of(area: Area, person: Person | None) -> Callable[[CellChange], str]:
    """Return what says why a cell can't be taken; what was asked of a value once is known after that."""
    aspects = {f"a{one.pk}": one for one in Aspect.objects.filter(area=area)}
    known: dict[tuple[str, str], str] = {}

    def problem(one: CellChange) -> str:
        aspect = aspects.get(one.field)
        if aspect is None:
            limit = editing.LIMITS.get(one.field, 0)
            too_long = len(one.written) > limit
            return f"{len(one.written):,} characters are too many; {limit:,} are kept." if too_long else ""
        asked = one.field, one.written
        if asked not in known:
            known[asked] = aspect_problem(aspect, one.written)
        return known[asked]

    return problem


def aspect_problem(aspect: Aspect, written: str) -> str:
    """Return why an aspect can't be given a value, "" where it can."""
    try:
        saying.kept(aspect, written)
    except EditError as error:
        return str(error)
    return ""


def apply(changes: Recorder, area: Area, cells: Sequence[SheetCell]) -> None:
    """Write cells; of what implements something, what it implements gets the words.

    Raises EditError where a model is being read, and where two cells say two things of one attribute.
    """
    targets = _targets(cells)
    for model_id in sorted({model for _, _, model in targets.values()}):
        if not try_for_editing(model_id):
            raise EditError(
                "A model is being read at this moment. Nothing was changed: apply it again in half a minute."
            )
    by_field: dict[tuple[str, str], dict[int, SheetCell]] = {}
    for cell in cells:
        if cell.key not in targets:
            continue
        target, object_id, _ = targets[cell.key]
        other = by_field.setdefault((cell.field, target), {}).setdefault(object_id, cell)
        if other.written != cell.written:
            raise EditError(
                f"{cell.title} of {other.label} (line {other.line}) and of {cell.label} (line {cell.line}) is the same attribute, and the sheet "
                "says two things of it. Keep one of them as it is here."
            )
    for (field, target), wanted in by_field.items():
        if not aspect_of(field):
            values = [(target, id_, cell.now, _word(field, cell.written)) for id_, cell in wanted.items()]
            editing.write_into(changes, area=area, field=field, values=values)
            continue
        aspect = Aspect.objects.get(pk=aspect_of(field), area=area)
        kept = {text: saying.kept(aspect, text) for text in {cell.written for cell in wanted.values()}}
        said = {id_: kept[cell.written] for id_, cell in wanted.items()}
        saying.say_into(changes, area=area, aspect=aspect, level=target, values=said)


def _word(field: str, text: str) -> str:
    return " ".join(text.split()) if field == "business_name" else text


def _targets(cells: Sequence[SheetCell]) -> dict[str, tuple[str, int, int]]:
    """Return by key what gets the words: kind, id and model, of what it implements where it implements something."""
    found: dict[str, tuple[str, int, int]] = {}
    columns = {int(cell.key[1:]) for cell in cells if cell.key[0] == "c"}
    tables = {int(cell.key[1:]) for cell in cells if cell.key[0] == "t"}
    for pk, above, model in StoredColumn.objects.filter(pk__in=columns).values_list(
        "pk", "attribute_id", "table__model_id"
    ):
        found[f"c{pk}"] = "column", above or pk, model
    for pk, above, model in StoredTable.objects.filter(pk__in=tables).values_list("pk", "entity_id", "model_id"):
        found[f"t{pk}"] = "table", above or pk, model
    return found
