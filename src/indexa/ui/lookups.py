"""What the lookup of every page finds: each app registers the kinds of things it has, in a module `lookups`."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, NamedTuple, TypeAlias


class Result(NamedTuple):
    """One thing that was found. Machine names are shown in the machine's face, business names in the text face."""

    kind: str
    address: str
    name: str
    is_machine_name: bool = False
    business_name: str = ""
    within: str = ""
    """What it lies in: a table's name for a column, a layer for a model."""
    within_is_machine_name: bool = False
    is_marked: bool = True
    """Whether the letters that were looked up are marked in its name."""


Search: TypeAlias = Callable[[Any, str], Iterable[Result]]
"""Returns the few best results in an area for a text."""
_searches: dict[str, tuple[int, Search]] = {}


def lookup(*, order: int) -> Callable[[Search], Search]:
    """Register a function that looks a text up in an area; results come in the order of their functions."""

    def register(search: Search) -> Search:
        _searches[f"{search.__module__}.{search.__qualname__}"] = order, search
        return search

    return register


Correction: TypeAlias = Callable[[Any, str], str]
"""Returns what a text that nothing contains may have meant in an area, "" for nothing."""
_corrections: list[Correction] = []


def correction(function: Correction) -> Correction:
    """Register a function that knows what a text may have meant."""
    _corrections[:] = [function]
    return function


def correct(area: Any, text: str) -> str:
    """Return what a text that nothing contains may have meant, "" for nothing."""
    return next((better for function in _corrections if (better := function(area, text))), "")


def look_up(area: Any, text: str) -> list[Result]:
    """Return what all apps find in an area: what is called so, what begins so, then the rest, kind by kind."""
    ordered = sorted(_searches.values(), key=lambda one: one[0])
    found = [result for _, search in ordered for result in search(area, text)]
    return sorted(found, key=lambda result: _distance(result, text.casefold()))


def _distance(result: Result, text: str) -> int:
    if not result.is_marked:
        return 3
    names = [name.casefold() for name in (result.name, result.business_name, result.name.rpartition(".")[2]) if name]
    if text in names:
        return 0
    return 1 if any(name.startswith(text) for name in names) else 2
