"""The small picture on a model's card, as another app registers it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TypeAlias

from django.utils.safestring import SafeString

from indexa.areas.models import Area, Person

Finder: TypeAlias = Callable[[Area, Person], Mapping[int, SafeString]]
"""Returns pictures (SVG) of the models of an area that a person may see, by model, in a fixed number of queries."""
_finders: list[Finder] = []


def pictures_models(finder: Finder) -> Finder:
    """Register a finder; it stands in a module `panels` of its app, which is found when the server starts."""
    _finders.append(finder)
    return finder


def pictures_in(area: Area, person: Person) -> dict[int, SafeString]:
    """Return the pictures of the models of an area."""
    return {model_id: picture for finder in _finders for model_id, picture in finder(area, person).items()}
