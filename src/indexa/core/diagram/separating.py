"""Lines that lie on each other are drawn side by side, and one that is alone between cards runs in the middle."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from indexa.core.diagram.parts import Line, Point
from indexa.core.diagram.sight import Boxes

_APART = 6.0
"""How far lines beside each other are apart where there is room."""
_FROM_CARDS = 4.0
_TO_THE_MIDDLE = 20.0
"""How far a line that is alone goes at most towards the middle of its channel."""
_NEAR = 0.6


@dataclass(slots=True)
class _Piece:
    """An inner piece of a line: at which place across, from where to where along, and where its neighbours lead."""

    line: int
    at: int
    across: float
    begin: float
    end: float
    leads: float


def separate(lines: Sequence[Line], boxes: Boxes) -> None:
    """Move inner pieces of lines aside: upright ones, flat ones, and upright ones again. First and last pieces stay."""
    for axis in (0, 1, 0):
        _separate_along(lines, boxes, axis)
    for line in lines:
        line.points = [(round(x, 1), round(y, 1)) for x, y in line.points]


def _separate_along(lines: Sequence[Line], boxes: Boxes, axis: int) -> None:
    pieces = [piece for number, line in enumerate(lines) for piece in _pieces(number, line.points, axis)]
    groups: dict[int, list[_Piece]] = defaultdict(list)
    for piece in sorted(pieces, key=lambda piece: (piece.across, piece.begin, piece.line)):
        groups[round(piece.across / _NEAR)].append(piece)
    for group in groups.values():
        for cluster in _clusters(group):
            _spread(cluster, lines, boxes, axis)


def _pieces(number: int, points: Sequence[Point], axis: int) -> list[_Piece]:
    """Return the inner pieces of a line that run along the other axis: for axis 0 the upright ones, whose x may change."""
    found = []
    along = 1 - axis
    for at in range(1, len(points) - 2):
        one, other = points[at], points[at + 1]
        if abs(one[axis] - other[axis]) > 0.01:
            continue
        leads = points[at - 1][axis] + points[at + 2][axis]
        begin, end = sorted((one[along], other[along]))
        if (
            end - begin < 0.01
        ):  # two corners that an earlier pass brought together: no piece, and nothing to move by itself
            continue
        found.append(_Piece(number, at, one[axis], begin, end, leads))
    return found


def _clusters(group: Sequence[_Piece]) -> list[list[_Piece]]:
    """Part pieces on one straight into those that reach over each other."""
    found: list[list[_Piece]] = []
    reach = 0.0
    for piece in sorted(group, key=lambda piece: (piece.begin, piece.end, piece.line)):
        if found and piece.begin < reach + 1:
            found[-1].append(piece)
            reach = max(reach, piece.end)
        else:
            found.append([piece])
            reach = piece.end
    return found


def _spread(cluster: Sequence[_Piece], lines: Sequence[Line], boxes: Boxes, axis: int) -> None:
    across = cluster[0].across
    low, high = _channel(boxes, axis, across, min(p.begin for p in cluster), max(p.end for p in cluster))
    low, high = max(low + _FROM_CARDS, across - 200), min(high - _FROM_CARDS, across + 200)
    if high <= low:
        return
    count = len(cluster)
    if count == 1:
        middle = (low + high) / 2
        places = [across + max(-_TO_THE_MIDDLE, min(_TO_THE_MIDDLE, middle - across))]
    else:
        step = min(_APART, (high - low) / (count - 1))
        begin = min(max(low, across - step * (count - 1) / 2), high - step * (count - 1))
        places = [begin + step * at for at in range(count)]
    ordered = sorted(cluster, key=lambda piece: (piece.leads, piece.line))
    for piece, place in zip(ordered, places, strict=True):
        points = lines[piece.line].points
        for at in (piece.at, piece.at + 1):
            x, y = points[at]
            points[at] = (place, y) if axis == 0 else (x, place)


def _channel(boxes: Boxes, axis: int, across: float, begin: float, end: float) -> tuple[float, float]:
    """Return how far the free room around a piece reaches across."""
    near, far = (boxes.left, boxes.right) if axis == 0 else (boxes.top, boxes.bottom)
    first, last = (boxes.top, boxes.bottom) if axis == 0 else (boxes.left, boxes.right)
    beside = (first < end + _FROM_CARDS) & (last > begin - _FROM_CARDS)
    before, behind = beside & (far <= across), beside & (near >= across)
    low = float(far[before].max()) if before.any() else -np.inf
    high = float(near[behind].min()) if behind.any() else np.inf
    if np.isinf(low):
        low = (
            across - 2 * _TO_THE_MIDDLE if np.isinf(high) else min(across, high - 2 * (high - across)) - _TO_THE_MIDDLE
        )
    if np.isinf(high):
        high = across + (across - low)
    return low, high
