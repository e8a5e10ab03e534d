"""Relationships that nobody decided yet, as another app registers them: a diagram shows them dotted, with their confidence."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from typing import NamedTuple, TypeAlias


class AskedRelationship(NamedTuple):
    """A relationship between two tables (by id) that waits for a person, and the fragment in which it is decided."""

    id: str
    child: int
    parent: int
    columns: tuple[str, ...]
    ref_columns: tuple[str, ...]
    confidence: float
    address: str


Finder: TypeAlias = Callable[[str, Collection[int]], Iterable[AskedRelationship]]
"""Given an area's slug and ids of tables, returns what waits between them, the likeliest first; in one query."""
_finders: list[Finder] = []


def asks_relationships(finder: Finder) -> Finder:
    """Register a finder; it stands in a module `panels` of its app, which is found when the server starts."""
    _finders.append(finder)
    return finder


def asked_between(area_slug: str, table_ids: Collection[int]) -> list[AskedRelationship]:
    """Return all relationships between these tables that wait for a person."""
    return [one for finder in _finders for one in finder(area_slug, table_ids)]
