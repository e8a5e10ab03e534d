"""What Indexa suggests of a model: a first diagram of the tables that matter most, and one for each neighbourhood."""

from __future__ import annotations

from typing import NamedTuple

from django.core.cache import cache

from indexa.core.diagram.neighbourhoods import neighbourhoods, suggested
from indexa.diagrams.drawing import last_change_of
from indexa.diagrams.outlines import outline_of, widths_of
from indexa.store.models import StoredModel

FIRST = "Most connected tables"


class Suggestion(NamedTuple):
    """A diagram that could be made: its name and the ids of its tables."""

    name: str
    table_ids: list[int]


_KEPT_FOR = 3_600
"""Seconds for which what was found in a model is remembered while nothing in it changes."""


def suggestions(model: StoredModel) -> list[Suggestion]:
    """Return the first diagram, then a diagram for each neighbourhood, the largest first; in a few queries."""
    key = f"diagrams:{model.pk}:{last_change_of(model)}"
    found: list[Suggestion] = cache.get_or_set(key, lambda: _found_in(model), _KEPT_FOR) or []
    return found


def _found_in(model: StoredModel) -> list[Suggestion]:
    outline, ids = outline_of(model)
    if not outline.tables:
        return []
    first = [ids[key] for key in suggested(outline, widths_of(model, ids))]
    found = [Suggestion(FIRST, first)]
    found += [Suggestion(one.name, [ids[key] for key in one.tables]) for one in neighbourhoods(outline)]
    return found
