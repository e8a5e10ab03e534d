"""Reading the dictionary's address: text, filters, order. A bad value narrows nothing."""

from __future__ import annotations

from urllib.parse import urlencode

from django.http import QueryDict

from indexa.areas.models import Area
from indexa.dictionary.search import COLUMN_SETS, FACETS, SORTS, Query, aspect_of

_LONGEST_TEXT = 200
_MOST_VALUES = 50
_MOST_FILTERS = 60


def read_query(area: Area, address: QueryDict) -> Query:
    """Return the query that an address asks for."""
    filters = {}
    aspects = [name for name in list(address)[:_MOST_FILTERS] if aspect_of(name)]
    for name in [*FACETS, *aspects]:
        values = tuple(value for value in address.getlist(name)[:_MOST_VALUES] if value)
        if values:
            filters[name] = values
    sort = address.get("sort", "")
    return Query(
        area_id=area.pk,
        layer="logical" if address.get("layer") == "logical" else "physical",
        text=address.get("q", "")[:_LONGEST_TEXT].strip(),
        filters=filters,
        sort=sort if sort in SORTS else "",
        show=address.get("show", "") if address.get("show", "") in COLUMN_SETS else "",
    )


def write_query(query: Query, **changes: str) -> str:
    """Return the query string of a query, with some parameters set to another value ("" leaves one out)."""
    parameters: list[tuple[str, str]] = []
    single = {
        "q": query.text,
        "layer": "" if query.layer == "physical" else query.layer,
        "sort": query.sort,
        "show": query.show,
    }
    for name, value in (single | changes).items():
        if value:
            parameters.append((name, value))
    parameters += [(name, value) for name, values in query.filters.items() for value in values]
    return urlencode(parameters)
