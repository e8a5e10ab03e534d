"""Small line charts, drawn on the server as SVG: values over time, with the figures as a table for those who can't see them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

_LEFT, _RIGHT, _TOP, _BOTTOM = 34, 8, 8, 18


class Value(NamedTuple):
    """A value at a time; what it stands for in words, and whether it is one to look at."""

    at: datetime
    value: float
    words: str = ""
    marked: bool = False


class Dot(NamedTuple):
    """A value on the chart."""

    x: float
    y: float
    value: Value


class Line(NamedTuple):
    """A series: what it is called, its number (which has a look of its own), the points of its polyline, its dots."""

    name: str
    number: int
    points: str
    dots: list[Dot]


class Chart(NamedTuple):
    """What the template `ui/_line_chart.html` draws; lengths in units of its view box."""

    lines: list[Line]
    greatest: str
    first: datetime
    last: datetime
    width: int
    height: int
    top: float
    base: float
    left: float
    right: float

    @property
    def has_marked(self) -> bool:
        """Whether one of its dots is to be looked at."""
        return any(dot.value.marked for line in self.lines for dot in line.dots)


def line_chart(
    series: Mapping[str, Sequence[Value]], *, width: int = 560, height: int = 96, greatest: float = 0, unit: str = ""
) -> Chart | None:
    """Return the chart of some series by name, each the earliest first; None where none has two values.

    `greatest` is the top of the scale; 0 for the greatest value there is.
    """
    shown = {name: values for name, values in series.items() if len(values) > 1}
    if not shown:
        return None
    times = [value.at for values in shown.values() for value in values]
    first, last = min(times), max(times)
    span = max(1.0, (last - first).total_seconds())
    top = greatest or max(1.0, *(value.value for values in shown.values() for value in values))
    room, base = width - _LEFT - _RIGHT, height - _BOTTOM
    lines = []
    for number, (name, values) in enumerate(shown.items(), 1):
        dots = [
            Dot(
                round(_LEFT + room * (value.at - first).total_seconds() / span, 1),
                round(base - (base - _TOP) * min(value.value, top) / top, 1), value,
            )
            for value in values
        ]  # fmt: skip
        lines.append(Line(name, number, " ".join(f"{dot.x},{dot.y}" for dot in dots), dots))
    return Chart(lines, f"{top:,.0f}{unit}", first, last, width, height, _TOP, base, _LEFT, width - _RIGHT)
