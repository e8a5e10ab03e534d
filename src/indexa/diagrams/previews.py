"""Small pictures of diagrams: cards as boxes and lines between their middles, without a word."""

from __future__ import annotations

from collections.abc import Sequence

from indexa.adapters.graphviz import place_by_graphviz
from indexa.core.diagram.arranging import measure
from indexa.core.diagram.cards import TAB
from indexa.core.diagram.parts import Card, Drawing, Line
from indexa.core.diagram.placing import place
from indexa.core.diagram.routing import route
from indexa.diagrams.drawing import draw, load_tables
from indexa.diagrams.models import Diagram, DiagramCard

WIDTH, HEIGHT = 236.0, 148.0
_EDGE = 8.0
MOST = 60
"""More cards are no picture in so little room: those that lie first are shown."""


def preview(diagram: Diagram) -> str:
    """Return the small picture of a kept diagram."""
    placed = list(diagram.cards.filter(table__removed_at__isnull=True)[:MOST])
    drawing = draw(
        load_tables([one.table_id for one in placed]), placed, depth=diagram.depth, naming=diagram.naming, title=""
    )
    return picture(drawing.cards, drawing.lines)


def preview_of_tables(table_ids: Sequence[int]) -> str:
    """Return the small picture that a diagram of these tables would have."""
    ids = list(table_ids)[:MOST]
    placed = [DiagramCard(table_id=id_, x=0, y=0) for id_ in ids]
    drawing = draw(load_tables(ids), placed, depth="keys", naming="physical", title="")
    place(drawing.cards, drawing.lines, "orthogonal", "right", place_by_graphviz)
    return picture(drawing.cards, drawing.lines)


def around_table(table_id: int, related: Sequence[int], title: str) -> Drawing:
    """Return the drawing of a table with its keys amid those that it is related to."""
    ids = [table_id, *related]
    placed = [DiagramCard(table_id=id_, x=0, y=0, depth="keys" if id_ == table_id else "names") for id_ in ids]
    drawing = draw(load_tables(ids), placed, depth="names", naming="both", title=title)
    keys = {card.key for card in drawing.cards if card.id == f"t{table_id}"}
    drawing.lines = [line for line in drawing.lines if line.child in keys or line.parent in keys]
    place(drawing.cards, drawing.lines, "layered", "right", place_by_graphviz)
    route(drawing.cards, drawing.lines)
    measure(drawing)
    return drawing


def picture(cards: Sequence[Card], lines: Sequence[Line]) -> str:
    """Return a small picture of placed cards and the lines between them; "" for none."""
    if not cards:
        return ""
    left, top = min(card.x for card in cards), min(card.y - TAB for card in cards)
    right, bottom = max(card.right for card in cards), max(card.bottom for card in cards)
    scale = min((WIDTH - 2 * _EDGE) / (right - left), (HEIGHT - 2 * _EDGE) / (bottom - top), 0.2)
    shift_x = (WIDTH - (right - left) * scale) / 2 - left * scale
    shift_y = (HEIGHT - (bottom - top) * scale) / 2 - top * scale
    middle = {
        card.key: (shift_x + (card.x + card.width / 2) * scale, shift_y + (card.y + card.height / 2) * scale)
        for card in cards
    }
    path = "".join(
        f"M{middle[line.child][0]:.0f} {middle[line.child][1]:.0f}H{middle[line.parent][0]:.0f}V{middle[line.parent][1]:.0f}"
        for line in lines
        if line.child != line.parent
    )
    boxes = "".join(
        f'<rect class="h{card.hue}" x="{shift_x + card.x * scale:.1f}" y="{shift_y + card.y * scale:.1f}" '
        f'width="{card.width * scale:.1f}" height="{max(3.0, card.height * scale):.1f}" rx="1"/>'
        for card in cards
    )
    return f'<svg class="mini drawing" viewBox="0 0 {WIDTH:.0f} {HEIGHT:.0f}" aria-hidden="true"><path d="{path}"/>{boxes}</svg>'
