"""Routes of lines at right angles: around cards, with few bends and crossings, each ending at the row of its column.

A search for the cheapest way (A*) over the crossings of lines of sight. A way costs its length, a share of it for each line
that runs there already, and an amount for each bend and for each line that it crosses.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from heapq import heappop, heappush
from itertools import pairwise
from typing import TypeAlias

from indexa.core.diagram.bending import way_through
from indexa.core.diagram.cards import TAB, row_height
from indexa.core.diagram.parts import Card, Key, Line, Point
from indexa.core.diagram.separating import separate
from indexa.core.diagram.sight import Boxes, Port, Sight, lines_of_sight

_BEND, _CROSSING, _SHARED = 60.0, 35.0, 0.35
_MANY = 100
"""From so many lines on the estimate of what is left counts double: over four times as fast, hardly longer ways."""
_LOOP, _NEXT_LOOP, _LOOPS_APART = 10.0, 3.0, 5
"""How far a line from a card to itself stands out, how much further each next one, and after how many it begins anew."""
_Ends: TypeAlias = dict[int, tuple[tuple[int, float], tuple[int, float]]]
"""By number of the line: number of the card and height on the page, of the child and of the parent."""
_RIGHT, _LEFT, _DOWN, _UP = range(4)
_WINDOW = 300.0
"""How far around lines that are routed anew other cards are looked at."""
_OPPOSITE = (_LEFT, _RIGHT, _UP, _DOWN)


def route(cards: Sequence[Card], lines: Sequence[Line], only: Collection[int] | None = None) -> None:
    """Give the lines their points. With `only` (numbers of lines) the others keep theirs, and are gone around as used ways."""
    number = {card.key: at for at, card in enumerate(cards)}
    wanted = range(len(lines)) if only is None else sorted(only)
    loops = [at for at in wanted if lines[at].child == lines[at].parent]
    ends = {at: _ends(cards, number, lines[at]) for at in wanted if lines[at].child != lines[at].parent}
    _route_loops(cards, number, lines, loops)
    for at in [at for at in ends if lines[at].bends]:
        (own, leaves), (other, arrives) = ends.pop(at)
        lines[at].points = way_through(cards[own], leaves, cards[other], arrives, lines[at].bends)
    if not ends:
        return
    if only is not None:
        cards, ends = _in_window(cards, ends)
    sight = lines_of_sight(cards, {end for pair in ends.values() for end in pair})
    search = _Search(sight, 2.0 if len(ends) > _MANY else 1.0)
    for at in sorted(ends, key=lambda at: (_distance(cards, *ends[at]), at)):
        child, parent = ends[at]
        lines[at].points = search.way(sight.ports[child], sight.ports[parent]) or _plain(cards, child, parent)
    separate([lines[at] for at in ends], Boxes(cards))


def _in_window(cards: Sequence[Card], ends: _Ends) -> tuple[Sequence[Card], _Ends]:
    """Leave out cards that are far from all lines that are routed; the ends are numbered anew."""
    near = [cards[card] for pair in ends.values() for card, _ in pair]
    left, right = min(card.x for card in near) - _WINDOW, max(card.right for card in near) + _WINDOW
    top, bottom = min(card.y for card in near) - _WINDOW, max(card.bottom for card in near) + _WINDOW
    kept = [
        at for at, card in enumerate(cards)
        if card.x < right and card.right > left and card.y - TAB < bottom and card.bottom > top
    ]  # fmt: skip
    number = {at: new for new, at in enumerate(kept)}
    moved = {at: ((number[a], y), (number[b], to_y)) for at, ((a, y), (b, to_y)) in ends.items()}
    return [cards[at] for at in kept], moved


def _ends(cards: Sequence[Card], number: dict[Key, int], line: Line) -> tuple[tuple[int, float], tuple[int, float]]:
    child, parent = number[line.child], number[line.parent]
    own = line.columns[0] if line.columns else ""
    theirs = line.ref_columns[0] if line.ref_columns else ""
    return (
        (child, cards[child].y + row_height(cards[child], own)),
        (parent, cards[parent].y + row_height(cards[parent], theirs)),
    )


def _distance(cards: Sequence[Card], child: tuple[int, float], parent: tuple[int, float]) -> float:
    one, other = cards[child[0]], cards[parent[0]]
    across = max(0.0, one.x - other.right, other.x - one.right)
    return across + abs(child[1] - parent[1])


def _plain(cards: Sequence[Card], child: tuple[int, float], parent: tuple[int, float]) -> list[Point]:
    """Return the plainest way where none was found, as when cards touch: out of the nearer sides, with one step between."""
    one, other = cards[child[0]], cards[parent[0]]
    if one.x + one.width / 2 < other.x + other.width / 2:
        begin, end = (one.right, child[1]), (other.x, parent[1])
    else:
        begin, end = (one.x, child[1]), (other.right, parent[1])
    middle = (begin[0] + end[0]) / 2
    return _straightened([begin, (middle, begin[1]), (middle, end[1]), end])


def _route_loops(cards: Sequence[Card], number: dict[Key, int], lines: Sequence[Line], loops: Sequence[int]) -> None:
    count: dict[int, int] = {}
    for at in loops:
        (card, y), (_, end) = _ends(cards, number, lines[at])
        x = cards[card].right
        far = x + _LOOP + _NEXT_LOOP * (count.get(card, 0) % _LOOPS_APART)
        count[card] = count.get(card, 0) + 1
        if end == y:
            end = y - 6
        lines[at].points = [(x, y), (far, y), (far, end), (x, end)]


class _Search:
    """Finds ways one after the other, and remembers which pieces are used."""

    def __init__(self, sight: Sight, weight: float) -> None:
        self._sight, self._weight = sight, weight
        size = len(sight.x)
        self._used_right, self._used_down = [0] * size, [0] * size

    def way(self, begin: Sequence[Port], end: Sequence[Port]) -> list[Point]:
        """Return the cheapest way from one of the ports to another; nothing where there is none."""
        sight = self._sight
        xs, ys = sight.x, sight.y
        targets = {port.node: port for port in end}
        if not begin or not targets:
            return []
        goals = [(xs[port.node], ys[port.node]) for port in end]
        weight = self._weight

        def left_over(node: int) -> float:
            return weight * min(abs(xs[node] - x) + abs(ys[node] - y) for x, y in goals)

        cost: dict[int, float] = {}
        came: dict[int, int] = {}
        heap: list[tuple[float, int]] = []
        ports: dict[int, Port] = {}
        for port in begin:
            state = port.node * 4 + (_RIGHT if port.leaves_right else _LEFT)
            cost[state], ports[state] = port.length, port
            heappush(heap, (port.length + left_over(port.node), state))
        done: set[int] = set()
        while heap:
            _, state = heappop(heap)
            if state in done:
                continue
            if state < 0:
                return self._found(~state, came, ports, targets)
            done.add(state)
            node, heading = divmod(state, 4)
            if (port := targets.get(node)) is not None:  # type: ignore[assignment]
                arrives = _LEFT if port.leaves_right else _RIGHT
                if heading != _OPPOSITE[arrives]:
                    total = cost[state] + port.length + (_BEND if heading != arrives else 0.0)
                    if total < cost.get(~state, float("inf")):
                        cost[~state] = total
                        heappush(heap, (total, ~state))
            for turn, following in enumerate((sight.right[node], sight.left[node], sight.down[node], sight.up[node])):
                if following < 0 or turn == _OPPOSITE[heading]:
                    continue
                price = cost[state] + self._price(node, following, turn) + (_BEND if turn != heading else 0.0)
                reached = following * 4 + turn
                if reached not in done and price < cost.get(reached, float("inf")):
                    cost[reached], came[reached] = price, state
                    heappush(heap, (price + left_over(following), reached))
        return []

    def _price(self, node: int, following: int, turn: int) -> float:
        sight = self._sight
        if turn in (_RIGHT, _LEFT):
            length = abs(sight.x[following] - sight.x[node])
            used = self._used_right[node if turn == _RIGHT else following]
            above = sight.up[following]
            crossed = min(self._used_down[following], self._used_down[above]) if above >= 0 else 0
        else:
            length = abs(sight.y[following] - sight.y[node])
            used = self._used_down[node if turn == _DOWN else following]
            before = sight.left[following]
            crossed = min(self._used_right[following], self._used_right[before]) if before >= 0 else 0
        return length * (1 + _SHARED * used) + _CROSSING * crossed

    def _found(self, state: int, came: dict[int, int], ports: dict[int, Port], targets: dict[int, Port]) -> list[Point]:
        states = [state]
        while states[-1] in came:
            states.append(came[states[-1]])
        states.reverse()
        begin, end = ports[states[0]], targets[state // 4]
        for one, other in pairwise(states):
            node, following, turn = one // 4, other // 4, other % 4
            if turn in (_RIGHT, _LEFT):
                self._used_right[node if turn == _RIGHT else following] += 1
            else:
                self._used_down[node if turn == _DOWN else following] += 1
        places = [(self._sight.x[one // 4], self._sight.y[one // 4]) for one in states]
        return _straightened([(begin.x, begin.y), *places, (end.x, end.y)])


def _straightened(points: Sequence[Point]) -> list[Point]:
    """Leave out places that lie on the straight between their neighbours."""
    kept: list[Point] = []
    for point in points:
        if kept and abs(kept[-1][0] - point[0]) < 0.01 and abs(kept[-1][1] - point[1]) < 0.01:
            continue
        while len(kept) >= 2 and _on_a_straight(kept[-2], kept[-1], point):
            kept.pop()
        kept.append(point)
    return kept


def _on_a_straight(a: Point, b: Point, c: Point) -> bool:
    return (abs(a[0] - b[0]) < 0.01 and abs(b[0] - c[0]) < 0.01) or (
        abs(a[1] - b[1]) < 0.01 and abs(b[1] - c[1]) < 0.01
    )


def affected(cards: Sequence[Card], lines: Sequence[Line], moved: Collection[Key]) -> set[int]:
    """Return the numbers of lines that end at moved cards, or run through the places where these lie now."""
    places = [card for card in cards if card.key in moved]
    found = set()
    for at, line in enumerate(lines):
        ends_there = line.child in moved or line.parent in moved
        if ends_there or any(_runs_through(line.points, card) for card in places):
            found.add(at)
    return found


def _runs_through(points: Sequence[Point], card: Card) -> bool:
    return any(
        min(x, to_x) < card.right + 4
        and max(x, to_x) > card.x - 4
        and min(y, to_y) < card.bottom + 4
        and max(y, to_y) > card.y - TAB - 4
        for (x, y), (to_x, to_y) in pairwise(points)
    )
