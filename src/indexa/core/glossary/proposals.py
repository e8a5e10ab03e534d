"""Terms that business names suggest, and columns that look like members of a domain."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence

import msgspec

_MOST = 200


class Named(msgspec.Struct, frozen=True):
    """A column as proposals see it: its id, business name, machine name and type."""

    id: int
    business_name: str
    name: str
    type: str


class ProposedTerm(msgspec.Struct, frozen=True):
    """A term that several columns seem to mean: its name as it is written most often, and their ids."""

    name: str
    columns: tuple[int, ...]


def propose_terms(columns: Iterable[Named], known: Iterable[str], least: int = 2) -> list[ProposedTerm]:
    """Return terms that are the business name of `least` columns or more and none of the known names, the commonest first."""
    taken = {plain(name) for name in known}
    groups: defaultdict[str, list[Named]] = defaultdict(list)
    for column in columns:
        key = plain(column.business_name)
        if key and key not in taken:
            groups[key].append(column)
    found = [
        ProposedTerm(Counter(one.business_name for one in group).most_common(1)[0][0], tuple(one.id for one in group))
        for group in groups.values()
        if len(group) >= least
    ]
    return sorted(found, key=lambda one: (-len(one.columns), one.name.casefold()))[:_MOST]


def likely_members(members: Sequence[Named], others: Iterable[Named]) -> list[tuple[int, str]]:
    """Return columns that look like those that are members already, each with the reason: the same name, or the same end of the
    name and the same type."""
    names = {one.name.lower() for one in members}
    ends: Mapping[tuple[str, str], int] = Counter((_end(one.name), one.type) for one in members)
    found = []
    for one in others:
        if one.name.lower() in names:
            found.append((one.id, "it has the name of a member"))
        elif ends.get((_end(one.name), one.type), 0) >= 2:
            found.append((one.id, f"it ends in {_end(one.name)} and has the type of members"))
    return found[:_MOST]


def plain(name: str) -> str:
    """Return a name as it is compared: without regard to capitals and blanks."""
    return " ".join(name.split()).casefold()


def _end(name: str) -> str:
    return name.lower().rpartition("_")[2]
