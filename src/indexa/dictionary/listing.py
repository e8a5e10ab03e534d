"""From ids of hits to the rows of a page, and to the entries of a document."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db import connection

from indexa.core.dictionary.entry import Entry
from indexa.core.dictionary.key_roles import Role
from indexa.describing.models import Aspect
from indexa.describing.saying import in_words
from indexa.dictionary.models import DictionaryRow
from indexa.dictionary.search import SORTS, Query, conditions_of
from indexa.glossary.models import CodeList, Domain, Term
from indexa.store.models import DescribedColumn


@dataclass(slots=True)
class Band:
    """The heading of a table's rows: how many columns it has, how many are described."""

    column: DescribedColumn
    columns: int = 0
    described: int = 0


@dataclass(slots=True)
class Row:
    """A column to show, and the band above it where a table begins."""

    column: DescribedColumn
    band: Band | None = None
    said: list[tuple[Aspect, str]] = field(default_factory=list)
    """What holds under each aspect that is shown, in words."""


def say_of_rows(rows: list[Row], aspects: Sequence[Aspect]) -> None:
    """Put what holds under some aspects into rows, in words; at most four queries."""
    found = DictionaryRow.objects.filter(pk__in=[row.column.pk for row in rows]).values_list("pk", "said")
    values = {pk: dict(one.split(":", 1) for one in said) for pk, said in found}
    words = in_words(value for held in values.values() for value in held.values())
    for row in rows:
        held = values.get(row.column.pk, {})
        row.said = [
            (aspect, words.get(value, value))
            for aspect, value in ((aspect, held.get(str(aspect.pk), "")) for aspect in aspects)
        ]


def rows_of(ids: list[int], *, before: int | None = None, bands: bool = True) -> list[Row]:
    """Return rows in the order of ids, in two queries. `before` is the id just before the first."""
    wanted = [*([before] if before else []), *ids]
    columns = DescribedColumn.objects.in_bulk(wanted)
    # A column may have gone between the two queries: it is passed over.
    shown = [columns[id_] for id_ in ids if id_ in columns]
    if not bands:
        return [Row(column) for column in shown]
    counts = _counts({column.table_id for column in shown})
    last = columns[before].table_id if before in columns else None
    rows = []
    for column in shown:
        band = None
        if column.table_id != last:
            last = column.table_id
            band = Band(column, *counts.get(column.table_id, (0, 0)))
        rows.append(Row(column, band))
    return rows


def _counts(table_ids: set[int]) -> dict[int, tuple[int, int]]:
    with connection.cursor() as cursor:
        cursor.execute(
            "select table_id, columns, described from dictionary_coverage where table_id = any(%s)", [list(table_ids)]
        )
        return {table_id: (columns, described) for table_id, columns, described in cursor}


_REFERENCES = """
select string_agg(
  concat_ws('.', nullif(rt.schema, ''), rt.name, rc.name) || case when r.asserted_at is null then '' else ' (asserted)' end,
  ', ' order by r.id)
from model_relationship r
join model_table rt on rt.id = r.ref_table_id
left join model_column rc on rc.id = r.ref_column_ids[array_position(r.column_ids, d.id)]
where r.table_id = d.table_id and d.id = any(r.column_ids)"""
"""What the foreign keys of a column d refer to, as text."""


_CARRIED = {"term": "Term", "domain": "Domain", "code_list": "Code list"}


class More:
    """What else documents tell of columns: the term, domain and code list they carry, and what is said of them, each where the
    area has any."""

    def __init__(self, area_id: int) -> None:
        there: dict[str, Any] = {"term": Term, "domain": Domain, "code_list": CodeList}
        self._carried = [kind for kind, model in there.items() if model.objects.filter(area=area_id).exists()]
        self._aspects = list(Aspect.objects.filter(area=area_id, applies__contains=["column"]))
        self._words: dict[str, str] = {}
        self.headings = (*(_CARRIED[kind] for kind in self._carried), *(one.name for one in self._aspects))

    @property
    def sql(self) -> tuple[str, str]:
        """What a query of columns d selects for it, and what it joins for that."""
        names = ", ".join(f"coalesce(own_{kind}.name, shared_{kind}.name, '')" for kind in self._carried)
        joined = "left join meaning own on own.column_id = d.id left join meaning shared on shared.column_id = d.attribute_id "
        for kind in self._carried:
            joined += f"left join {kind} own_{kind} on own_{kind}.id = own.{kind}_id "
            joined += f"left join {kind} shared_{kind} on shared_{kind}.id = shared.{kind}_id "
        return f"array[{names}]::text[], r.said", joined + "join dictionary_row r on r.column_id = d.id"

    def learn(self, rows: Sequence[Sequence[Any]]) -> None:
        """Look up the words of what is said of some rows, at most three queries; its tokens stand last in each."""
        unknown = {one.partition(":")[2] for row in rows for one in row[-1]} - self._words.keys()
        self._words |= {value: value for value in unknown} | in_words(unknown)

    def of(self, carried: Sequence[str], said: Sequence[str]) -> tuple[str, ...]:
        """Return the cells of a column."""
        held = dict(one.split(":", 1) for one in said)
        return (*carried, *(self._words.get(held.get(str(one.pk), ""), "") for one in self._aspects))


def entries(query: Query, more: More | None = None) -> Iterator[Entry]:
    """Yield every hit of query in its order, from a cursor on the server: memory stays flat."""
    more = more or More(query.area_id)
    selected, joined = more.sql
    where, parameters = conditions_of(query)
    sql = (
        "select m.name, d.schema, d.table_name, d.table_business_name, d.table_kind, d.position, d.roles, d.name, "
        "d.business_name, d.type, d.nullable, d.definition, d.comment, "
        f"coalesce(nullif(t.definition, ''), e.definition, ''), case when d.roles & {int(Role.FOREIGN)} <> 0 then "
        f"coalesce(({_REFERENCES}), '') else '' end, {selected} "
        f"from (select column_id, row_number() over (order by {SORTS.get(query.sort, SORTS[''])}) as place "
        f"from dictionary_row where {where}) hits "
        "join described_column d on d.id = hits.column_id join model m on m.id = d.model_id "
        f"join model_table t on t.id = d.table_id left join model_table e on e.id = t.entity_id {joined} order by hits.place"
    )
    # Django's named cursors live in a transaction of their own use; outside one they are held.
    with connection.chunked_cursor() as cursor:
        cursor.execute(sql, parameters)
        while chunk := cursor.fetchmany(2_000):
            more.learn(chunk)
            for row in chunk:
                told: list[Any] = [*row[:-2], more.of(*row[-2:])]
                yield Entry(*told)
