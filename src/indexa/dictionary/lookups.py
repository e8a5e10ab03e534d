"""Columns in the lookup."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urlencode

from django.urls import reverse

from indexa.areas.models import Area
from indexa.dictionary import search
from indexa.dictionary.search import Query
from indexa.store.models import DescribedColumn
from indexa.ui.lookups import Result, lookup

_MOST = 6


@lookup(order=40)
def columns(area: Area, text: str) -> Iterator[Result]:
    """Return columns by machine or business name, and the way to the dictionary where there are more."""
    ids = search.named(Query(area.pk, text=text), _MOST + 1)
    found = DescribedColumn.objects.in_bulk(ids)
    for column in [found[id_] for id_ in ids if id_ in found][:_MOST]:
        yield Result(
            kind="Column",
            address=f"{reverse('modeling:table', args=[area.slug, column.table_id])}?column={column.pk}",
            name=column.name,
            is_machine_name=True,
            business_name=column.business_name,
            within=column.table_full_name,
            within_is_machine_name=True,
        )
    if len(ids) > _MOST:
        address = f"{reverse('dictionary:page', args=[area.slug])}?{urlencode({'q': text})}"
        yield Result("All", address, f"every column with “{text}” in the dictionary", is_marked=False)
