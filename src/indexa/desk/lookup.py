"""Looking anything up by a part of its name."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Case, F, IntegerField, Q, TextField, Value, When
from django.db.models.functions import Coalesce, Length, NullIf

from indexa.areas.models import Area, Person
from indexa.dictionary import search
from indexa.dictionary.search import Query
from indexa.sources.models import Source
from indexa.store.models import DescribedColumn, StoredModel, StoredTable

_EMPTY = Value("", output_field=TextField())
_MOST_TABLES, _MOST_COLUMNS, _MOST_OTHERS = 6, 6, 3


@dataclass(frozen=True, slots=True)
class Found:
    """All kinds of things whose name contains the text."""

    models: list[StoredModel]
    sources: list[Source]
    people: list[Person]
    tables: list[StoredTable]
    columns: list[DescribedColumn]
    more_columns: bool


def look_up(area: Area, text: str) -> Found:
    """Look text up among the models, sources, people, tables and columns of an area."""
    tables = StoredTable.objects.filter(model__area=area, model__layer="physical", removed_at__isnull=True)
    tables = tables.annotate(shown_name=Coalesce(NullIf("business_name", _EMPTY), F("entity__business_name"), _EMPTY))
    for term in text.split()[:4]:
        tables = tables.filter(Q(name__icontains=term) | Q(schema__icontains=term) | Q(shown_name__icontains=term))
    exact_first = Case(
        When(name__iexact=text, then=0),
        When(name__istartswith=text, then=1),
        default=2,
        output_field=IntegerField(),
    )
    people = Person.objects.filter(memberships__area=area)
    for term in text.split()[:4]:
        people = people.filter(
            Q(first_name__icontains=term) | Q(last_name__icontains=term) | Q(username__icontains=term)
        )
    ids = search.named(Query(area.pk, text=text), _MOST_COLUMNS + 1)
    columns = DescribedColumn.objects.in_bulk(ids)
    return Found(
        models=list(StoredModel.objects.filter(area=area, name__icontains=text)[:_MOST_OTHERS]),
        sources=list(Source.objects.filter(area=area, name__icontains=text)[:_MOST_OTHERS]),
        people=list(people[:_MOST_OTHERS]),
        tables=list(tables.order_by(exact_first, Length("name"), "name")[:_MOST_TABLES]),
        columns=[columns[id_] for id_ in ids if id_ in columns][:_MOST_COLUMNS],
        more_columns=len(ids) > _MOST_COLUMNS,
    )
