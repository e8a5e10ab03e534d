"""Headings of lists that sort by a click."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple
from urllib.parse import urlencode


class SortHead(NamedTuple):
    """A heading: its label, the query that sorts by it ("" where it does not sort), and how the list is sorted by it now."""

    label: str
    query: str
    direction: str = ""
    arrow: str = ""


def sort_heads(
    heads: Sequence[tuple[str | None, str]], sort: str, kept: Mapping[str, str], first_descending: str = "-"
) -> list[SortHead]:
    """Return the headings of a list for (key, label) pairs; the key "" is the list's own order, None does not sort.

    `kept` is what else the address holds. A second click turns the order around, a third one goes back to the list's own.
    """
    others = {name: value for name, value in kept.items() if name not in ("sort", "page")}
    made = []
    for key, label in heads:
        if key is None:
            made.append(SortHead(label, ""))
            continue
        down = f"-{key}" if key else first_descending
        wanted = {key: down, down: ""}.get(sort, key)
        query = urlencode({**others, "sort": wanted} if wanted else others) or "sort="
        direction = {key: "ascending", down: "descending"}.get(sort, "")
        made.append(SortHead(label, query, direction, {"ascending": "↑", "descending": "↓"}.get(direction, "")))
    return made
