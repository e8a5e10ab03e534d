"""The ends of lines in three notations: crow's foot, IDEF1X (FIPS 184), and the multiplicities of UML classes."""

from __future__ import annotations

from typing import Literal, TypeAlias

from indexa.core.diagram.parts import Line, Point
from indexa.core.render.diagram.numbers import short as _n

Notation: TypeAlias = Literal["crows-foot", "idef1x", "uml"]
NOTATIONS: tuple[Notation, ...] = ("crows-foot", "idef1x", "uml")
LABELS: dict[Notation, str] = {"crows-foot": "crow's foot", "idef1x": "IDEF1X", "uml": "UML"}


def ends(line: Line, notation: Notation) -> str:
    """Return the marks at both ends of a line as SVG; both leave their card sideways."""
    if len(line.points) < 2:
        return ""
    child, parent = _end(line.points[0], line.points[1]), _end(line.points[-1], line.points[-2])
    if notation == "uml":
        return _multiplicity(child, "0..1" if line.one_to_one else "0..*") + _multiplicity(
            parent, "0..1" if line.optional else "1"
        )
    if notation == "idef1x":
        return _idef1x(line, child, parent)
    return _crows_foot(line, child, parent)


def _end(at: Point, towards: Point) -> tuple[float, float, int]:
    """Return where a line ends, and to which side it leaves: 1 right, -1 left."""
    return at[0], at[1], 1 if towards[0] >= at[0] else -1


def _crows_foot(line: Line, child: tuple[float, float, int], parent: tuple[float, float, int]) -> str:
    x, y, side = child
    if line.one_to_one:
        many = _bar(x + 7 * side, y) + _circle(x + 14 * side, y)
    else:
        tip = x + 12 * side
        many = f'<path d="M{_n(tip)} {_n(y)}L{_n(x)} {_n(y - 5)}M{_n(tip)} {_n(y)}L{_n(x)} {_n(y + 5)}"/>'
        many += _circle(x + 15.5 * side, y)
    x, y, side = parent
    second = _circle(x + 14 * side, y) if line.optional else _bar(x + 11 * side, y)
    return many + _bar(x + 7 * side, y) + second


def _idef1x(line: Line, child: tuple[float, float, int], parent: tuple[float, float, int]) -> str:
    x, y, side = child
    found = f'<circle class="dot" cx="{_n(x + 4 * side)}" cy="{_n(y)}" r="4"/>'
    if line.one_to_one:
        found += f'<text x="{_n(x + 10 * side)}" y="{_n(y + 12)}"{_anchor(side)}>Z</text>'
    x, y, side = parent
    if line.optional:
        a, b, c = x + 6 * side, x + 12 * side, x
        found += (
            f'<path class="diamond" d="M{_n(c)} {_n(y)}L{_n(a)} {_n(y - 5)}L{_n(b)} {_n(y)}L{_n(a)} {_n(y + 5)}Z"/>'
        )
    return found


def _multiplicity(end: tuple[float, float, int], text: str) -> str:
    x, y, side = end
    return f'<text x="{_n(x + 6 * side)}" y="{_n(y - 4)}"{_anchor(side)}>{text}</text>'


def _anchor(side: int) -> str:
    return "" if side > 0 else ' text-anchor="end"'


def _bar(x: float, y: float) -> str:
    return f'<path d="M{_n(x)} {_n(y - 4)}v8"/>'


def _circle(x: float, y: float) -> str:
    return f'<circle cx="{_n(x)}" cy="{_n(y)}" r="3.5"/>'
