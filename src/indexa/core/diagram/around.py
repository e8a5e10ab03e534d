"""A table with those next to it: what refers to it on the left, what it refers to on the right."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence

from indexa.core.diagram.arranging import measure
from indexa.core.diagram.cards import TAB, card_of, lines_between
from indexa.core.diagram.marks import colour
from indexa.core.diagram.parts import Card, Drawing, Key
from indexa.core.diagram.routing import route
from indexa.core.model import Table

_MOST_ON_A_SIDE = 6
"""By judgement: more cards than these make a table's small diagram taller than its page."""
_BETWEEN, _BELOW = 90.0, 34.0
"""Room between the columns of cards, and between cards."""


class Surroundings:
    """The tables of one model, of which each is drawn with those next to it."""

    def __init__(self, tables: Sequence[Table]) -> None:
        self._by_key = {(table.schema, table.name): table for table in tables}
        self._referring: defaultdict[Key, dict[Key, None]] = defaultdict(dict)
        for key, table in self._by_key.items():
            for one in table.foreign_keys:
                self._referring[one.ref_schema, one.ref_table][key] = None

    def drawing(self, table: Table) -> Drawing | None:
        """Return a table with those next to it; None where nothing is.

        Each side shows its first tables by name; the title says how many are left out.
        """
        key = (table.schema, table.name)
        parents = dict.fromkeys((one.ref_schema, one.ref_table) for one in table.foreign_keys)
        right = sorted(one for one in parents if one in self._by_key and one != key)
        left = sorted(one for one in self._referring[key] if one != key and one not in parents)
        if not left and not right:
            return None
        children, referred = ([self._by_key[one] for one in side[:_MOST_ON_A_SIDE]] for side in (left, right))
        more = len(left) + len(right) - len(children) - len(referred)
        title = f"Around {table.full_name}" + (f", {more} more not shown" if more else "")
        return _drawn(table, children, referred, title)


def _drawn(table: Table, left: Sequence[Table], right: Sequence[Table], title: str) -> Drawing:
    columns = [[card_of(one, "names", "both") for one in left], [card_of(table, "keys", "both")]]
    columns.append([card_of(one, "names", "both") for one in right])
    columns = [column for column in columns if column]
    heights = [sum(card.height + TAB + _BELOW for card in column) for column in columns]
    x = 0.0
    for column, height in zip(columns, heights, strict=True):
        x = _stack(column, x, (max(heights) - height) / 2)
    own = (table.schema, table.name)
    lines = [line for line in lines_between([*left, table, *right]) if own in (line.child, line.parent)]
    cards = [card for column in columns for card in column]
    route(cards, lines)
    drawing = Drawing(cards, lines, title=title)
    colour(drawing, "schema")
    drawing.legend = []  # the tab of each card says its schema
    measure(drawing)
    return drawing


def _stack(column: Sequence[Card], x: float, y: float) -> float:
    """Put cards of one width below each other; returns where the next column begins."""
    widest = max(card.width for card in column)
    for card in column:
        card.x, card.y, card.width = x, y + TAB, widest
        y += card.height + TAB + _BELOW
    return x + widest + _BETWEEN
