"""The layout of a diagram as `./indexa layout` writes it: places of tables, points of relationships, in px."""

from __future__ import annotations

import msgspec

from indexa.core.diagram.parts import Drawing, Point


class PlacedTable(msgspec.Struct):
    """A table with the upper left corner of its card, and its size."""

    schema: str
    name: str
    x: float
    y: float
    width: float
    height: float


class PlacedRelationship(msgspec.Struct):
    """A relationship with the points of its line, from the table to the one that it refers to."""

    schema: str
    table: str
    name: str
    ref_schema: str
    ref_table: str
    points: list[Point]


class Layout(msgspec.Struct):
    """The whole file."""

    width: float
    height: float
    tables: list[PlacedTable]
    relationships: list[PlacedRelationship]


def layout_of(drawing: Drawing) -> Layout:
    """Return the layout of a drawing."""
    return Layout(
        width=drawing.width,
        height=drawing.height,
        tables=[PlacedTable(*card.key, card.x, card.y, card.width, card.height) for card in drawing.cards],
        relationships=[
            PlacedRelationship(*line.child, line.name, *line.parent, points=line.points) for line in drawing.lines
        ],
    )
