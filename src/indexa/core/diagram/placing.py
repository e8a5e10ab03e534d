"""Where cards lie: on a grid, in columns by reference, or by an engine that lays out graphs; never on top of each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import ceil
from typing import Literal, Protocol, TypeAlias

from indexa.core.diagram.cards import TAB
from indexa.core.diagram.neighbourhoods import communities
from indexa.core.diagram.parts import Card, Key, Line, Point

Style: TypeAlias = Literal["orthogonal", "layered", "neighbourhoods", "radial", "grid"]
STYLES: tuple[Style, ...] = ("orthogonal", "layered", "neighbourhoods", "radial", "grid")
Direction: TypeAlias = Literal["right", "down"]
GAP = 56.0
"""Room between cards for the lines that run there."""


class Engine(Protocol):
    """What lays out a graph: given sizes and edges by number, returns the middle of each node in px."""

    def __call__(
        self, sizes: Sequence[tuple[float, float]], edges: Sequence[tuple[int, int]], style: str, direction: Direction
    ) -> list[Point]:
        """`style` is "spread" (by forces), "layered" or "radial". Raises EngineError where it fails or takes too long."""


class Box(Protocol):
    """What has a place and a size, and can be moved: a card, or an area of the map."""

    key: Key
    x: float
    y: float

    @property
    def right(self) -> float:
        """The x of the right edge."""

    @property
    def bottom(self) -> float:
        """The y of the lower edge."""


class EngineError(Exception):
    """A layout that the engine could not make; the plain one is used instead."""


def place(cards: Sequence[Card], lines: Sequence[Line], style: Style, direction: Direction, engine: Engine) -> None:
    """Give every card its place; those that nothing connects lie in rows below the others."""
    connected = {key for line in lines if line.child != line.parent for key in (line.child, line.parent)}
    bound = [card for card in cards if card.key in connected]
    loose = [card for card in cards if card.key not in connected]
    if style == "grid":
        bound, loose = [], list(cards)
    if bound:
        try:
            if style == "neighbourhoods":
                _by_neighbourhood(bound, lines, direction, engine)
            else:
                _by_engine(bound, lines, style, direction, engine)
        except EngineError:
            bound, loose = [], list(cards)
    bottom = max((card.bottom for card in bound), default=0.0)
    right = max((card.right for card in bound), default=0.0)
    _in_rows(loose, bottom + GAP + TAB if bound else 0.0, right)
    part(cards)
    to_origin(cards)


def _by_engine(
    cards: Sequence[Card], lines: Sequence[Line], style: Style, direction: Direction, engine: Engine
) -> None:
    number = {card.key: at for at, card in enumerate(cards)}
    edges = sorted({
        (number[line.parent], number[line.child])
        for line in lines
        if line.child != line.parent and line.child in number and line.parent in number
    })  # fmt: skip
    sizes = [(card.width, card.height + TAB) for card in cards]
    wanted = {"layered": "layered", "radial": "radial"}.get(style, "spread")
    centres = engine(sizes, edges, wanted, direction)
    if wanted == "spread" and len(cards) <= _FEW:
        layered = engine(sizes, edges, "layered", direction)
        centres = min(centres, layered, key=lambda one: _cost(one, sizes, edges))
    for card, (x, y) in zip(cards, centres, strict=True):
        card.x, card.y = round(x - card.width / 2), round(y - card.height / 2 + TAB / 2)


def _by_neighbourhood(cards: Sequence[Card], lines: Sequence[Line], direction: Direction, engine: Engine) -> None:
    """Lay out each neighbourhood by itself, and then the neighbourhoods as if each were one large card."""
    of_card, blocks = {}, []
    for number, keys in enumerate(communities(cards, lines)):
        own = [card for card in cards if card.key in keys]
        inner = [line for line in lines if line.child in keys and line.parent in keys]
        _by_engine(own, inner, "orthogonal", direction, engine)
        part(own)
        left, top = min(card.x for card in own), min(card.y - TAB for card in own)
        for card in own:
            card.x, card.y = card.x - left, card.y - top
            of_card[card.key] = number
        blocks.append(own)
    sizes = [(max(card.right for card in own) + _ROOM, max(card.bottom for card in own) + _ROOM) for own in blocks]
    between = sorted({
        (of_card[line.parent], of_card[line.child])
        for line in lines
        if line.child in of_card and line.parent in of_card and of_card[line.child] != of_card[line.parent]
    })  # fmt: skip
    centres = engine(sizes, between, "spread", direction) if len(blocks) > 1 else [(0.0, 0.0)]
    for own, (width, height), (x, y) in zip(blocks, sizes, centres, strict=True):
        for card in own:
            card.x, card.y = round(card.x + x - width / 2), round(card.y + y - height / 2)


_ROOM = 120.0
"""Room between neighbourhoods, so that one sees which cards belong together."""
_FEW = 120
"""Up to so many cards two layouts are tried, and the one with fewer crossings is taken."""
_WINDOW = 1.5
"""How many times wider than high the window is that a layout has to fit into."""


def _cost(centres: Sequence[Point], sizes: Sequence[tuple[float, float]], edges: Sequence[tuple[int, int]]) -> float:
    """Return how bad a layout is: lines that cross, times how small it has to be shown to be seen whole."""
    halves = [(x, y, width / 2, height / 2) for (x, y), (width, height) in zip(centres, sizes, strict=True)]
    wide = max(x + w for x, _, w, _ in halves) - min(x - w for x, _, w, _ in halves)
    high = max(y + h for _, y, _, h in halves) - min(y - h for _, y, _, h in halves)
    return (0.5 + crossings(centres, edges) / max(1, len(edges))) * max(wide / _WINDOW, high)


def crossings(centres: Sequence[Point], edges: Sequence[tuple[int, int]]) -> int:
    """Return how many of these edges cross, drawn as straight lines between the middles."""
    ends = [(centres[a], centres[b], {a, b}) for a, b in edges]
    found = 0
    for number, (a, b, own) in enumerate(ends):
        for c, d, theirs in ends[number + 1 :]:
            if own & theirs:
                continue
            found += _turn(a, b, c) != _turn(a, b, d) and _turn(c, d, a) != _turn(c, d, b)
    return found


def _turn(a: Point, b: Point, c: Point) -> bool:
    return (b[0] - a[0]) * (c[1] - a[1]) > (b[1] - a[1]) * (c[0] - a[0])


def _in_rows(cards: Sequence[Card], top: float, width: float) -> None:
    """Lay cards side by side in rows of about that width, or of a pleasant one."""
    area = sum((card.width + GAP) * (card.height + GAP + TAB) for card in cards)
    limit = max(width, (1.7 * area) ** 0.5, max((card.width for card in cards), default=0.0))
    x, y, tallest = 0.0, top, 0.0
    for card in sorted(cards, key=lambda card: (card.key[0], card.key[1])):
        if x and x + card.width > limit:
            x, y, tallest = 0.0, y + tallest + GAP + TAB, 0.0
        card.x, card.y = x, y
        x += card.width + GAP
        tallest = max(tallest, card.height)


def part(cards: Sequence[Box], fixed: Mapping[Key, bool] | None = None, gap: float = 24.0) -> None:
    """Move cards apart that lie on top of each other or touch, by as little as it takes; `fixed` ones stay.

    Passes from left to right and from top to bottom: a card that is in the way of an earlier one goes beyond it on the
    shorter way. That ends, since cards only move right and down.
    """
    fixed = fixed or {}
    order = sorted(cards, key=lambda card: (not fixed.get(card.key, False), card.y, card.x, card.key))
    settled: list[Box] = []
    for card in order:
        if not fixed.get(card.key, False):
            _make_room(card, settled, gap)
        settled.append(card)


def _make_room(card: Box, settled: Sequence[Box], gap: float) -> None:
    while True:
        hits = [other for other in settled if overlap(card, other, gap)]
        if not hits:
            return
        right = max(other.right for other in hits) + gap - card.x
        down = max(other.bottom for other in hits) + gap + TAB - card.y
        if right <= down:
            card.x += right
        else:
            card.y += down
        card.x, card.y = ceil(card.x), ceil(card.y)  # not rounded: going back by less than a px would go on for ever


def overlap(one: Box, other: Box, gap: float = 0.0) -> bool:
    """Return whether two cards, each with its tab and a gap around, lie on top of each other."""
    return (
        one.x < other.right + gap
        and other.x < one.right + gap
        and one.y - TAB < other.bottom + gap
        and other.y - TAB < one.bottom + gap
    )


def to_origin(cards: Sequence[Card], margin: float = 40.0) -> None:
    """Move a whole drawing so that it begins a margin away from its upper left corner."""
    if not cards:
        return
    left, top = min(card.x for card in cards) - margin, min(card.y for card in cards) - margin - TAB
    for card in cards:
        card.x, card.y = card.x - left, card.y - top
