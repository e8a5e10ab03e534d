"""A whole diagram from a model: cards, places, routes, colours."""

from __future__ import annotations

from collections.abc import Collection

from indexa.core.diagram.cards import TAB, card_of, lines_between
from indexa.core.diagram.marks import colour
from indexa.core.diagram.parts import Card, Depth, Drawing, Key, Naming, Note
from indexa.core.diagram.placing import Direction, Engine, Style, place
from indexa.core.diagram.routing import route
from indexa.core.model import Model

MARGIN = 40.0


def arrange(
    model: Model,
    engine: Engine,
    *,
    tables: Collection[Key] | None = None,
    style: Style = "orthogonal",
    direction: Direction = "right",
    depth: Depth = "columns",
    naming: Naming = "both",
) -> Drawing:
    """Lay out the tables of a model, or those named by schema and name, with the relationships between them."""
    chosen = [table for table in model.tables if tables is None or (table.schema, table.name) in tables]
    cards = [card_of(table, depth, naming) for table in chosen]
    lines = lines_between(chosen)
    place(cards, lines, style, direction, engine)
    route(cards, lines)
    drawing = Drawing(cards, lines, title=model.name)
    colour(drawing, "schema")
    measure(drawing)
    return drawing


def measure(drawing: Drawing) -> None:
    """Move everything so that a drawing begins at 0, 0 with a margin, and set width and height."""
    points = [point for line in drawing.lines for point in line.points]
    notes = drawing.notes
    lefts = [*(card.x for card in drawing.cards), *(one.x for one in notes), *(x for x, _ in points)]
    left = min(lefts, default=MARGIN) - MARGIN
    tops = [*(card.y - TAB for card in drawing.cards), *(one.y for one in notes), *(y for _, y in points)]
    top = min(tops, default=MARGIN) - MARGIN
    for note in notes:
        note.x, note.y = note.x - left, note.y - top
    for card in drawing.cards:
        card.x, card.y = card.x - left, card.y - top
    for line in drawing.lines:
        line.points = [(x - left, y - top) for x, y in line.points]
    measure_as_it_is(drawing)


def measure_as_it_is(drawing: Drawing) -> None:
    """Set width and height so that everything is within, and move nothing."""
    points = [point for line in drawing.lines for point in line.points]
    boxes: list[Card | Note] = [*drawing.cards, *drawing.notes]
    drawing.width = max([*(one.x + one.width for one in boxes), *(x for x, _ in points)], default=0.0) + MARGIN
    drawing.height = max([*(one.y + one.height for one in boxes), *(y for _, y in points)], default=0.0) + MARGIN
