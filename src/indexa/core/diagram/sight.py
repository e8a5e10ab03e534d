"""Lines of sight: where a line may run between cards without touching one, and the crossings at which it may turn.

Above, below and beside every card a line runs as far as it sees; so does one out of every row that a relationship ends at.
Where they cross are the nodes of the graph that routes are searched in.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from indexa.core.diagram.cards import TAB
from indexa.core.diagram.parts import Card

CLEARANCE = 7.0
"""How far from a card lines run."""
_BLOWN_UP = 6.5
_OUTSIDE = 60.0
"""How far beyond all cards lines may run."""
Numbers = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Port:
    """A place where lines may leave a card: the first crossing on the way out, and how far that is; -1 where there is none."""

    node: int
    length: float
    x: float
    y: float
    leaves_right: bool


@dataclass(slots=True)
class Sight:
    """The graph of crossings: places, and the next crossing each way (-1 for none)."""

    x: list[float] = field(default_factory=list)
    y: list[float] = field(default_factory=list)
    right: list[int] = field(default_factory=list)
    left: list[int] = field(default_factory=list)
    down: list[int] = field(default_factory=list)
    up: list[int] = field(default_factory=list)
    ports: dict[tuple[int, float], list[Port]] = field(default_factory=dict)
    """By number of the card and height on the page: the ways out, at most one to each side."""


class Boxes:
    """The cards as arrays of their edges, tabs included."""

    def __init__(self, cards: Sequence[Card]) -> None:
        self.left = np.array([card.x for card in cards], dtype=float)
        self.right = np.array([card.right for card in cards], dtype=float)
        self.top = np.array([card.y - TAB for card in cards], dtype=float)
        self.bottom = np.array([card.bottom for card in cards], dtype=float)

    def reach_right(self, x: float, y: float) -> float:
        """Return how far right a line at y sees from x."""
        hit = (self.top - _BLOWN_UP < y) & (y < self.bottom + _BLOWN_UP) & (self.left >= x)
        return float(self.left[hit].min() - _BLOWN_UP) if hit.any() else float(self.right.max() + _OUTSIDE)

    def reach_left(self, x: float, y: float) -> float:
        """Return how far left a line at y sees from x."""
        hit = (self.top - _BLOWN_UP < y) & (y < self.bottom + _BLOWN_UP) & (self.right <= x)
        return float(self.right[hit].max() + _BLOWN_UP) if hit.any() else float(self.left.min() - _OUTSIDE)

    def reach_down(self, x: float, y: float) -> float:
        """Return how far down a line at x sees from y."""
        hit = (self.left - _BLOWN_UP < x) & (x < self.right + _BLOWN_UP) & (self.top >= y)
        return float(self.top[hit].min() - _BLOWN_UP) if hit.any() else float(self.bottom.max() + _OUTSIDE)

    def reach_up(self, x: float, y: float) -> float:
        """Return how far up a line at x sees from y."""
        hit = (self.left - _BLOWN_UP < x) & (x < self.right + _BLOWN_UP) & (self.bottom <= y)
        return float(self.bottom[hit].max() + _BLOWN_UP) if hit.any() else float(self.top.min() - _OUTSIDE)

    def covers(self, x: float, y: float) -> bool:
        """Return whether a place is too near to a card for a line."""
        inside = (self.left - _BLOWN_UP < x) & (x < self.right + _BLOWN_UP)
        return bool((inside & (self.top - _BLOWN_UP < y) & (y < self.bottom + _BLOWN_UP)).any())


def lines_of_sight(cards: Sequence[Card], ends: set[tuple[int, float]]) -> Sight:
    """Build the graph for some cards and the places where lines end: number of the card and height on the page."""
    boxes = Boxes(cards)
    flat: dict[tuple[float, float, float], int] = {}
    upright: dict[tuple[float, float, float], int] = {}
    for number, card in enumerate(cards):
        middle_x, middle_y = card.x + card.width / 2, (card.y - TAB + card.bottom) / 2
        for y in (boxes.top[number] - CLEARANCE, boxes.bottom[number] + CLEARANCE):
            if not boxes.covers(middle_x, y):
                flat.setdefault((float(y), boxes.reach_left(middle_x, y), boxes.reach_right(middle_x, y)), len(flat))
        for x in (card.x - CLEARANCE, card.right + CLEARANCE):
            if not boxes.covers(x, middle_y):
                upright.setdefault((float(x), boxes.reach_up(x, middle_y), boxes.reach_down(x, middle_y)), len(upright))
    ways: dict[tuple[int, float], list[tuple[int, bool]]] = {}
    for number, y in sorted(ends):
        card = cards[number]
        for leaves_right in (True, False):
            edge = card.right if leaves_right else card.x
            far = boxes.reach_right(edge, y) if leaves_right else boxes.reach_left(edge, y)
            if (far - edge if leaves_right else edge - far) >= CLEARANCE:
                line = (y, edge, far) if leaves_right else (y, far, edge)
                flat.setdefault(line, len(flat))
                ways.setdefault((number, y), []).append((flat[line], leaves_right))
    return _graph(list(flat), list(upright), cards, ways)


def _graph(
    flat: list[tuple[float, float, float]],
    upright: list[tuple[float, float, float]],
    cards: Sequence[Card],
    ways: dict[tuple[int, float], list[tuple[int, bool]]],
) -> Sight:
    h, v = np.array(flat).reshape(-1, 3), np.array(upright).reshape(-1, 3)
    h_of, v_of = [], []
    for at in range(0, len(h), 256):
        part = h[at : at + 256]
        crossing = (
            (v[None, :, 0] >= part[:, None, 1])
            & (v[None, :, 0] <= part[:, None, 2])
            & (v[None, :, 1] <= part[:, None, 0])
            & (part[:, None, 0] <= v[None, :, 2])
        )
        found = np.nonzero(crossing)
        h_of.append(found[0] + at)
        v_of.append(found[1])
    of_h = np.concatenate(h_of) if h_of else np.zeros(0, dtype=int)
    of_v = np.concatenate(v_of) if v_of else np.zeros(0, dtype=int)
    x, y = v[of_v, 0] if len(of_v) else np.zeros(0), h[of_h, 0] if len(of_h) else np.zeros(0)
    right, left = _neighbours(np.lexsort((x, of_h)), of_h)
    down, up = _neighbours(np.lexsort((y, of_v)), of_v)
    sight = Sight(x.tolist(), y.tolist(), right.tolist(), left.tolist(), down.tolist(), up.tolist())
    order = np.lexsort((x, of_h))
    begins = np.searchsorted(of_h[order], np.arange(len(h)), side="left")
    ends = np.searchsorted(of_h[order], np.arange(len(h)), side="right")
    for (number, height), lines in ways.items():
        ports = []
        for line, leaves_right in lines:
            if begins[line] == ends[line]:
                continue
            node = int(order[begins[line]] if leaves_right else order[ends[line] - 1])
            edge = cards[number].right if leaves_right else cards[number].x
            ports.append(Port(node, abs(sight.x[node] - edge), edge, height, leaves_right))
        sight.ports[number, height] = ports
    return sight


def _neighbours(order: NDArray[np.int64], group: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the next and the previous crossing on the same line, -1 for none; `order` runs along the lines."""
    following = np.full(len(order), -1, dtype=np.int64)
    before = np.full(len(order), -1, dtype=np.int64)
    same = group[order[:-1]] == group[order[1:]] if len(order) else np.zeros(0, dtype=bool)
    following[order[:-1][same]] = order[1:][same]
    before[order[1:][same]] = order[:-1][same]
    return following, before
