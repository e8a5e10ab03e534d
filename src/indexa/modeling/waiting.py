"""What waits for a person in each model, as apps register it: the cards of models show it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from typing import NamedTuple, TypeAlias

from indexa.areas.models import Area


class Waiting(NamedTuple):
    """Something in a model that waits for a person, and the page on which it is decided."""

    text: str
    address: str


Finder: TypeAlias = Callable[[Area], Mapping[int, Waiting]]
"""Returns what waits in the models of an area, by model, in one query or a few."""
_finders: list[Finder] = []


def waits_in_models(finder: Finder) -> Finder:
    """Register a finder; it stands in a module `panels` of its app, which is found when the server starts."""
    _finders.append(finder)
    return finder


def waiting_in(area: Area) -> dict[int, list[Waiting]]:
    """Return all that waits in the models of an area."""
    found: defaultdict[int, list[Waiting]] = defaultdict(list)
    for finder in _finders:
        for model_id, waiting in finder(area).items():
            found[model_id].append(waiting)
    return dict(found)
