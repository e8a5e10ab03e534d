"""Ways of lines that a person chose: corners that stay where they are while the cards at both ends move."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from indexa.core.diagram.parts import Card, Point

_OUT = 12.0
"""How far a line runs straight out of a card at least, for the marks at its end."""
MOST = 40
"""Corners of one line."""


def are_bends(bends: Sequence[Point]) -> bool:
    """Return whether corners make a way at right angles that leaves one card and reaches the other sideways."""
    fits = 2 <= len(bends) <= MOST and len(bends) % 2 == 0
    upright = [abs(one[0] - other[0]) < 0.01 for one, other in pairwise(bends)]
    level = [abs(one[1] - other[1]) < 0.01 for one, other in pairwise(bends)]
    near = all(abs(value) < 1_000_000 for point in bends for value in point)
    return fits and near and all(upright[0::2]) and all(level[1::2])


def way_through(child: Card, leaves: float, parent: Card, arrives: float, bends: Sequence[Point]) -> list[Point]:
    """Return the way from a card's row at height `leaves` through the corners to the other's row at height `arrives`.

    The first and the last corner follow the rows; one that would lie over its own card goes beside it.
    """
    corners = [*bends]
    begin, corners[0], corners[1] = _out_of(child, leaves, corners[0], corners[1])
    end, corners[-1], corners[-2] = _out_of(parent, arrives, corners[-1], corners[-2])
    return [begin, *corners, end]


def _out_of(card: Card, y: float, first: Point, second: Point) -> tuple[Point, Point, Point]:
    """Return where a line leaves a card, and its first two corners, whose upright piece lies beside the card."""
    x = first[0]
    to_right = x >= card.x + card.width / 2
    x = max(x, card.right + _OUT) if to_right else min(x, card.x - _OUT)
    return (card.right if to_right else card.x, y), (x, y), (x, second[1])
