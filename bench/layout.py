"""Layouts of diagrams: seconds, overlaps, lines through cards and crossings, beside the bare engine on the same graphs."""

from __future__ import annotations

import random
from itertools import combinations, pairwise

from bench.common import timed
from indexa.adapters.graphviz import place_by_graphviz
from indexa.core.diagram.arranging import arrange
from indexa.core.diagram.cards import TAB, card_of
from indexa.core.diagram.neighbourhoods import neighbourhoods, suggested
from indexa.core.diagram.parts import Drawing, Point
from indexa.core.diagram.placing import crossings, overlap
from indexa.core.diagram.routing import affected, route
from indexa.core.diagram.whole_map import map_of
from indexa.core.model import Column, ForeignKey, Key, Model, Table

SIZES = (20, 100, 500, 1_000)
LIMITS = {100: 0.5, 500: 2.0, 1_000: 6.0}


def made_up(tables: int, seed: int = 1) -> Model:
    """Tables in areas of 25 with a hub each, 1.5 relationships a table, a log-normal number of columns."""
    rnd = random.Random(seed)
    made = []
    for number in range(tables):
        width = max(2, min(40, int(rnd.lognormvariate(2, 0.6))))
        columns = [Column(f"t{number}_id", 1, "bigint", nullable=False)]
        columns += [
            Column(
                f"col_{at}_{rnd.choice('abcdefgh') * rnd.randint(1, 8)}",
                at,
                rnd.choice(["bigint", "varchar(40)", "date"]),
            )
            for at in range(2, width + 2)
        ]
        made.append(
            Table(
                schema=f"s{number // 25 % 4}",
                name=f"t{number}",
                columns=columns,
                primary_key=Key(name="pk", columns=(f"t{number}_id",)),
            )
        )
    for number in range(int(1.5 * tables)):
        at = rnd.randrange(tables)
        area = at // 25 * 25
        to = (
            area
            if rnd.random() < 0.4
            else rnd.randrange(area, min(tables, area + 25))
            if rnd.random() < 0.9
            else rnd.randrange(tables)
        )
        parent = made[to]
        made[at].foreign_keys.append(
            ForeignKey(name=f"f{number}", columns=(rnd.choice(made[at].columns[1:]).name,), ref_schema=parent.schema,
                       ref_table=parent.name, ref_columns=(parent.columns[0].name,))
        )  # fmt: skip
    return Model(name="made up", platform="postgresql", tables=made)


def main(_: list[str]) -> None:
    """Print a row for each size, then what moving one card costs, then the map's neighbourhoods."""
    print(
        f"{'tables':>7} {'s':>6} {'limit':>6} {'engine alone s':>15} {'overlaps':>9} {'through':>8} {'crossings a line':>17} {'straight':>9}"
    )
    for size in SIZES:
        model = made_up(size)
        drawing, seconds = timed(lambda model=model: arrange(model, place_by_graphviz))  # type: ignore[misc]
        bare, engine_seconds = timed(lambda model=model: _bare(model))  # type: ignore[misc]
        overlaps = sum(overlap(one, other) for one, other in combinations(drawing.cards, 2))
        through = sum(_runs_through(drawing, at) for at in range(len(drawing.lines))) / len(drawing.lines)
        print(
            f"{size:>7} {seconds:>6.2f} {LIMITS.get(size, 0) or '':>6} {engine_seconds:>15.2f} {overlaps:>9} {through:>8.1%} "
            f"{_crossings(drawing) / len(drawing.lines):>17.2f} {bare / len(drawing.lines):>9.2f}"
        )
        moved = drawing.cards[size // 2]
        moved.x += 120
        _, seconds = timed(
            lambda d=drawing, key=moved.key: route(d.cards, d.lines, only=affected(d.cards, d.lines, {key}))  # type: ignore[misc]
        )
        print(f"{'':>7} moving one card: {seconds * 1000:.0f} ms")
    large = made_up(10_000)
    areas, map_seconds = timed(lambda: map_of(large, place_by_graphviz))
    print(f"map of 10,000 tables: {len(areas)} areas in {map_seconds:.1f} s (limit 15)")
    groups, seconds = timed(lambda: neighbourhoods(large))
    _, first = timed(lambda: suggested(large))
    print(
        f"10,000 tables: {len(groups)} neighbourhoods in {seconds:.1f} s, the first diagram's tables in {first:.1f} s"
    )


def _bare(model: Model) -> int:
    """Let the engine alone place the cards; return how many of its straight lines cross."""
    cards = [card_of(table, "columns", "both") for table in model.tables]
    number = {card.key: at for at, card in enumerate(cards)}
    edges = sorted({
        (number[key.ref_schema, key.ref_table], at)
        for at, table in enumerate(model.tables) for key in table.foreign_keys
        if number[key.ref_schema, key.ref_table] != at
    })  # fmt: skip
    centres = place_by_graphviz([(card.width, card.height + TAB) for card in cards], edges, "spread", "right")
    return crossings(centres, edges)


def _runs_through(drawing: Drawing, at: int) -> bool:
    line = drawing.lines[at]
    return any(
        min(x, to_x) < card.right - 0.5 and max(x, to_x) > card.x + 0.5
        and min(y, to_y) < card.bottom - 0.5 and max(y, to_y) > card.y - TAB + 0.5
        for card in drawing.cards
        if card.key not in (line.child, line.parent)
        for (x, y), (to_x, to_y) in pairwise(line.points)
    )  # fmt: skip


def _crossings(drawing: Drawing) -> int:
    flat: list[tuple[float, float, float, int]] = []
    upright: list[tuple[float, float, float, int]] = []
    for at, line in enumerate(drawing.lines):
        for one, other in pairwise(line.points):
            _sort_in(one, other, at, flat, upright)
    return sum(
        a < x < b and c < y < e for y, a, b, one in flat for x, c, e, other in upright if one != other
    )  # fmt: skip


def _sort_in(
    one: Point,
    other: Point,
    at: int,
    flat: list[tuple[float, float, float, int]],
    upright: list[tuple[float, float, float, int]],
) -> None:
    if abs(one[1] - other[1]) < 0.2:
        flat.append((one[1], min(one[0], other[0]), max(one[0], other[0]), at))
    else:
        upright.append((one[0], min(one[1], other[1]), max(one[1], other[1]), at))
