"""Filters as the page shows them: values with words and counts, chosen ones first."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field

from indexa.core.dictionary.key_roles import LABELS
from indexa.describing.models import Aspect
from indexa.describing.saying import in_words
from indexa.dictionary.search import FACETS, NOTHING_SAID, Hits, Query
from indexa.store.models import StoredModel, StoredTable
from indexa.ui.parameters import parse_ints

_SHOWN = 25
_WORDS = {
    "key": {short.lower(): words for short, words in LABELS.values()} | {"none": "In no key"},
    "null": {"yes": "May be empty", "no": "Never empty"},
    "described": {"yes": "Has a definition", "no": "No definition yet"},
}


@dataclass(slots=True)
class Value:
    """One value of a filter."""

    value: str
    words: str
    count: int
    chosen: bool


@dataclass(slots=True)
class Facet:
    """A filter with its values; `hidden` more values are not listed."""

    name: str
    label: str
    machine: bool
    values: list[Value] = field(default_factory=list)
    hidden: int = 0

    @property
    def chosen(self) -> list[Value]:
        """The values that narrow now."""
        return [value for value in self.values if value.chosen]


_GONE = {"model": "a deleted model", "table": "a deleted table"}
"""What a filter is called whose model or table is no longer there, as in an address that was kept."""


def facets_of(query: Query, hits: Hits) -> list[Facet]:
    """Return all filters, those of what is said last; a fixed number of queries for the names of their values."""
    names = {"model": _model_names(query, hits), "table": _table_names(query, hits)}
    found = [
        _facet(query, name, label, hits.facets[name], names.get(name, _WORDS.get(name, {})))
        for name, label in FACETS.items()
    ]
    aspects = {
        f"a{one.pk}": one.name for one in Aspect.objects.filter(area_id=query.area_id, applies__contains=["column"])
    }
    tokens = {value for name in aspects for value in (*hits.facets.get(name, ()), *query.filters.get(name, ()))}
    words = in_words(tokens) | {NOTHING_SAID: "Nothing said"}
    return found + [
        _facet(query, name, label, hits.facets.get(name, Counter()), words) for name, label in aspects.items()
    ]


def _facet(query: Query, name: str, label: str, counts: Counter[str], words: dict[str, str]) -> Facet:
    facet = Facet(name, label, machine=name in ("schema", "table"))
    chosen = query.filters.get(name, ())
    ranked = list(dict.fromkeys([*chosen, *(value for value, _ in counts.most_common())]))
    for value in ranked[:_SHOWN]:
        facet.values.append(Value(value, words.get(value, _GONE.get(name, value)), counts[value], value in chosen))
    facet.hidden = max(0, len(ranked) - _SHOWN)
    return facet


def _model_names(query: Query, hits: Hits) -> dict[str, str]:
    ids = {*hits.facets["model"], *query.filters.get("model", ())}
    models = StoredModel.objects.filter(area_id=query.area_id, pk__in=parse_ints(ids))
    return {str(pk): name for pk, name in models.values_list("pk", "name")}


def _table_names(query: Query, hits: Hits) -> dict[str, str]:
    ids = {value for value, _ in hits.facets["table"].most_common(_SHOWN)} | set(query.filters.get("table", ()))
    tables = StoredTable.objects.filter(model__area_id=query.area_id, pk__in=parse_ints(ids))
    return {str(table.pk): table.full_name for table in tables.only("schema", "name")}
