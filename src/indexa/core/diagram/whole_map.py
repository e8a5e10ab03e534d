"""The map of a whole model: neighbourhoods as areas, each table a small cell in the area of its neighbourhood."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from math import ceil, sqrt

import msgspec

from indexa.core.diagram.neighbourhoods import LOOSE, Neighbourhood, graph_of, importance, neighbourhoods
from indexa.core.diagram.parts import Key
from indexa.core.diagram.placing import Engine, EngineError, part
from indexa.core.model import VIEW_KINDS, Model, Table

CELL_WIDTH, CELL_HEIGHT = 148.0, 30.0
"""Size of a table's cell in px."""
_STEP_X, _STEP_Y = CELL_WIDTH + 12, CELL_HEIGHT + 12
_EDGE, _HEAD = 16.0, 44.0
"""Room in an area around its cells, and above them for its name."""
_BETWEEN = 60.0
_WIDER = 1.6
"""How many times wider than high an area is."""
_FEW = 12
"""Up to so many areas lie in rows, where they can be shown largest."""
_WINDOW = 2.4
"""How many times wider than high areas in rows are together: rows are seldom full."""
_MOST_WALKED = 400
"""A larger group is laid in rows by name: finding the free cell nearest to each one's neighbour takes the square of it."""


class Area(msgspec.Struct):
    """A neighbourhood on the map: its box, and the upper left corner of each table's cell. Has what `part` asks of a box."""

    key: Key
    name: str
    tables: dict[Key, tuple[float, float]]
    width: float
    height: float
    x: float = 0
    y: float = 0

    @property
    def right(self) -> float:
        """The x of the right edge."""
        return self.x + self.width

    @property
    def bottom(self) -> float:
        """The y of the lower edge."""
        return self.y + self.height


def map_of(model: Model, engine: Engine, widths: Mapping[Key, int] | None = None) -> list[Area]:
    """Return the areas of a model's map, placed so that those with many relationships lie near each other.

    Views are left out: they have no relationships. `widths` are numbers of columns, for tables that come without theirs.
    """
    tables = {(table.schema, table.name): table for table in model.tables if table.kind not in VIEW_KINDS}
    scores = importance(list(tables.values()), widths)
    groups = [one for group in neighbourhoods(model) for one in _by_schema(group)]
    areas = [_area(at, group, tables, scores) for at, group in enumerate(groups)]
    area_of = {key: at for at, area in enumerate(areas) for key in area.tables}
    between = links(area_of, list(tables.values()))
    bound = sorted({at for pair in between for at in pair})
    _place([areas[at] for at in bound], {at: number for number, at in enumerate(bound)}, between, engine)
    connected = set(bound)
    _in_rows([area for at, area in enumerate(areas) if at not in connected], [areas[at] for at in bound])
    part(areas, gap=_BETWEEN)
    _to_origin(areas)
    return areas


def links(area_of: Mapping[Key, int], tables: Sequence[Table]) -> dict[tuple[int, int], int]:
    """Return how many relationships connect two areas (by number, the smaller first)."""
    found: Counter[tuple[int, int]] = Counter()
    for table in tables:
        own = area_of.get((table.schema, table.name))
        for key in table.foreign_keys:
            other = area_of.get((key.ref_schema, key.ref_table))
            if own is not None and other is not None and own != other:
                found[min(own, other), max(own, other)] += 1
    return dict(found)


def _by_schema(group: Neighbourhood) -> list[Neighbourhood]:
    """Part the tables without relationships by schema, where there are several."""
    schemas = sorted({schema for schema, _ in group.tables})
    if group.name != LOOSE or len(schemas) < 2:
        return [group]
    return [
        Neighbourhood(f"{schema}, without relationships", [key for key in group.tables if key[0] == schema])
        for schema in schemas
    ]


def _area(number: int, group: Neighbourhood, tables: Mapping[Key, Table], scores: Mapping[Key, float]) -> Area:
    count = len(group.tables)
    across = max(1, ceil(sqrt(count * _WIDER * _STEP_Y / _STEP_X)))
    down = ceil(count / across)
    cells = _walked(group, tables, scores, across, down)
    places = {key: (_EDGE + column * _STEP_X, _HEAD + row * _STEP_Y) for key, (column, row) in cells.items()}
    width, height = 2 * _EDGE + across * _STEP_X - 12, _HEAD + down * _STEP_Y - 12 + _EDGE
    return Area(("", f"{number:06}"), group.name, places, max(width, 60.0 + 9.5 * len(group.name)), height)


def _walked(
    group: Neighbourhood, tables: Mapping[Key, Table], scores: Mapping[Key, float], across: int, down: int
) -> dict[Key, tuple[int, int]]:
    """Give each table a column and a row: what matters most in the middle, others as near to a neighbour as can be."""
    free = [(column, row) for row in range(down) for column in range(across)]
    if len(group.tables) > _MOST_WALKED:
        return dict(zip(sorted(group.tables), free, strict=False))
    graph = graph_of([tables[key] for key in group.tables])
    middle = ((across - 1) / 2, (down - 1) / 2)
    taken: dict[Key, tuple[int, int]] = {}
    waiting = sorted(group.tables, key=lambda key: (-scores[key], key))
    beside: list[tuple[Key, tuple[float, float]]] = []
    while len(taken) < len(group.tables):
        if not beside:
            beside.append((next(key for key in waiting if key not in taken), middle))
        key, near = beside.pop(0)
        if key in taken:
            continue
        best = min(free, key=lambda cell: (_far(cell, near), _far(cell, middle), cell))
        free.remove(best)
        taken[key] = best
        following = sorted((other for other in graph[key] if other not in taken), key=lambda one: (-scores[one], one))
        beside += [(other, best) for other in following]
    return taken


def _far(cell: tuple[float, float], other: tuple[float, float]) -> float:
    across, down = (cell[0] - other[0]) * _STEP_X, (cell[1] - other[1]) * _STEP_Y
    return across * across + down * down


def _place(
    areas: Sequence[Area], number: Mapping[int, int], between: Mapping[tuple[int, int], int], engine: Engine
) -> None:
    if not areas:
        return
    if len(areas) <= _FEW:
        _in_rows(areas, [])
        return
    edges = sorted((number[one], number[other]) for one, other in between)
    sizes = [(area.width + _BETWEEN, area.height + _BETWEEN) for area in areas]
    try:
        centres = engine(sizes, edges, "spread", "right")
    except EngineError:
        _in_rows(areas, [])
        return
    for area, (x, y) in zip(areas, centres, strict=True):
        area.x, area.y = round(x - area.width / 2), round(y - area.height / 2)


def _in_rows(areas: Sequence[Area], above: Sequence[Area]) -> None:
    """Lay areas in rows below others, as wide as those are or as pleasant."""
    top = max((area.bottom for area in above), default=-_BETWEEN) + _BETWEEN
    begin = min((area.x for area in above), default=0.0)
    content = sum((area.width + _BETWEEN) * (area.height + _BETWEEN) for area in areas)
    limit = begin + max(max((area.right for area in above), default=0.0) - begin, sqrt(_WINDOW * content))
    x, y, tallest = begin, top, 0.0
    for area in sorted(areas, key=lambda area: (-area.height, area.key)):
        if x > begin and x + area.width > limit:
            x, y, tallest = begin, y + tallest + _BETWEEN, 0.0
        area.x, area.y = x, y
        x += area.width + _BETWEEN
        tallest = max(tallest, area.height)


def _to_origin(areas: Sequence[Area], margin: float = 40.0) -> None:
    left, top = min((area.x for area in areas), default=0.0), min((area.y for area in areas), default=0.0)
    for area in areas:
        area.x, area.y = area.x - left + margin, area.y - top + margin
