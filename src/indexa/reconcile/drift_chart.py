"""The history of a source's drift as a line for the model and one for the last version, in the units of an SVG."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from indexa.reconcile.models import DriftPoint

WIDTH, HEIGHT = 560, 96
_LEFT, _RIGHT, _TOP, _BOTTOM = 34, 8, 8, 18


class Dot(NamedTuple):
    """A reading on the chart."""

    x: float
    y: float
    point: DriftPoint


class Chart(NamedTuple):
    """What a template draws: two lines as the points of polylines, the dots of the model's, the greatest value."""

    dots: list[Dot]
    model: str
    version: str
    greatest: int
    top: float
    base: float
    left: float
    right: float


def chart_of(points: Sequence[DriftPoint]) -> Chart | None:
    """Return the chart of some readings, the earliest first; None where there are fewer than two."""
    if len(points) < 2:
        return None
    greatest = max(1, *(max(one.from_model, one.from_version or 0) for one in points))
    start, span = points[0].at, max(1.0, (points[-1].at - points[0].at).total_seconds())
    room, base = WIDTH - _LEFT - _RIGHT, HEIGHT - _BOTTOM

    def x(one: DriftPoint) -> float:
        return round(_LEFT + room * (one.at - start).total_seconds() / span, 1)

    def y(value: int) -> float:
        return round(base - (base - _TOP) * value / greatest, 1)

    dots = [Dot(x(one), y(one.from_model), one) for one in points]
    versioned = [f"{x(one)},{y(one.from_version)}" for one in points if one.from_version is not None]
    model = " ".join(f"{dot.x},{dot.y}" for dot in dots)
    return Chart(dots, model, " ".join(versioned), greatest, _TOP, base, _LEFT, WIDTH - _RIGHT)
