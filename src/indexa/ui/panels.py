"""Parts of a page that apps register: a page shows what others have to say about its subject, and knows none of them.

An app registers its own in a module `panels`, which is found when the server starts.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from typing import Any, Literal, NamedTuple, TypeAlias

from django.http import HttpRequest

Place: TypeAlias = Literal[
    "desk",
    "desk aside",
    "source",
    "source aside",
    "models",
    "model",
    "model more",
    "objects",
    "table",
    "diagram",
    "diagram table",
    "column margin",
    "table margin",
    "meaning margin",
    "person",
]
"""Where a panel stands. What it is given: the area on the desk, the area on the list of models too, else the source, model, table, column or diagram of the
page, the model on the list of its objects, the table that is selected on a diagram, or (in the margin of
a term, code list, domain or rule) its kind and id; on the page of a
person, their membership of the area."""
Values: TypeAlias = Callable[[HttpRequest, Any], Mapping[str, Any] | None]
"""Returns what the panel's template needs; None where there is nothing to show."""


class Panel(NamedTuple):
    """A part of a page: its place among the others (`order`), its template, and what fills it."""

    order: int
    template: str
    values: Values
    anchor: str = ""
    """Where a page has links to its parts: the id of the part's element."""
    label: str = ""
    """What that link is called."""


_panels: defaultdict[str, dict[str, Panel]] = defaultdict(dict)


def panel(place: Place, *, order: int, template: str, anchor: str = "", label: str = "") -> Callable[[Values], Values]:
    """Register what a function returns as a part of a page. A template stands once at a place."""

    def register(values: Values) -> Values:
        _panels[place][template] = Panel(order, template, values, anchor, label)
        return values

    return register


def panels_at(place: str) -> list[Panel]:
    """Return the panels of a place in their order."""
    return sorted(_panels[place].values(), key=lambda one: (one.order, one.template))
