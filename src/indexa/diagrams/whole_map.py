"""The map of a whole stored model: worked out once, and kept as long as its tables and relationships are the same."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Mapping
from typing import Any

from django.db.models import Count, Q

from indexa.adapters.graphviz import place_by_graphviz
from indexa.core.diagram.marks import colour, marks
from indexa.core.diagram.parts import Card, Drawing, Key
from indexa.core.diagram.whole_map import CELL_HEIGHT, CELL_WIDTH, map_of
from indexa.core.model import Model, Table
from indexa.diagrams.models import ModelMap
from indexa.diagrams.outlines import outline_of, widths_of
from indexa.store.models import DescribedColumn, StoredModel

MARKS = ("schema", "described", "kind", "changed")
"""What the colours of a map can stand for: its areas are the neighbourhoods already."""
_MADE_BY = 3
"""Counts up when the rules of the map change, so that kept maps are made anew."""


def map_areas(model: StoredModel) -> list[dict[str, Any]]:
    """Return the areas of a model's map as `ModelMap` keeps them; made where the kept one is of an older state."""
    outline, ids = outline_of(model)
    return _areas(model, outline, ids)


def map_content(model: StoredModel, mark: str) -> dict[str, Any]:
    """Return all that the page draws of a map.

    `areas`: name, box and number of tables each. `tables`: id, names, area, place and hue each, as a list. `lines`: pairs of
    positions in `tables`, child and parent. `links`: pairs of positions in `areas` and how many lines there are between them.
    `legend`: hue and what it stands for.
    """
    outline, ids = outline_of(model)
    areas = _areas(model, outline, ids)
    names = {pk: key for key, pk in ids.items()}
    table_of = {(table.schema, table.name): table for table in outline.tables}
    placed = [(id_, at, x, y) for at, area in enumerate(areas) for id_, x, y in area["tables"]]
    hues, legend = _hues(model, [table_of[names[id_]] for id_, *_ in placed], ids, mark)
    number = {names[id_]: position for position, (id_, *_) in enumerate(placed)}
    lines = [
        (number[table.schema, table.name], number[key.ref_schema, key.ref_table])
        for table in outline.tables
        for key in table.foreign_keys
        if (table.schema, table.name) in number and (key.ref_schema, key.ref_table) in number
    ]
    area_of = [at for _, at, *_ in placed]
    links = Counter(
        (min(area_of[child], area_of[parent]), max(area_of[child], area_of[parent]))
        for child, parent in lines
        if area_of[child] != area_of[parent]
    )
    return {
        "areas": [
            {name: area[name] for name in ("name", "x", "y", "width", "height")} | {"count": len(area["tables"])}
            for area in areas
        ],
        "tables": [
            [id_, table_of[names[id_]].full_name, table_of[names[id_]].business_name, at, x, y, hues.get(names[id_], 0)]
            for id_, at, x, y in placed
        ],
        "lines": sorted(set(lines)),
        "links": [[one, other, count] for (one, other), count in sorted(links.items())],
        "legend": legend,
        "cell": [CELL_WIDTH, CELL_HEIGHT],
    }


def _areas(model: StoredModel, outline: Model, ids: Mapping[Key, int]) -> list[dict[str, Any]]:
    digest = _digest(outline, ids)
    kept = ModelMap.objects.filter(model=model).first()
    if kept is not None and kept.digest == digest:
        found: list[dict[str, Any]] = kept.areas
        return found
    areas = [
        {
            "name": area.name,
            "x": area.x,
            "y": area.y,
            "width": area.width,
            "height": area.height,
            "tables": [[ids[key], area.x + x, area.y + y] for key, (x, y) in area.tables.items()],
        }
        for area in map_of(outline, place_by_graphviz, widths_of(model, ids))
    ]
    ModelMap.objects.update_or_create(model=model, defaults={"digest": digest, "areas": areas})
    return areas


def _digest(outline: Model, ids: Mapping[Key, int]) -> str:
    """Return what a map depends on, in short: which tables there are, what they are called, and what refers to what."""
    lines = (
        f"{_MADE_BY} {ids[table.schema, table.name]} {table.schema} {table.name} {table.business_name} "
        f"{[(key.ref_schema, key.ref_table) for key in table.foreign_keys]}"
        for table in sorted(outline.tables, key=lambda table: (table.schema, table.name))
    )
    return hashlib.sha256("\n".join(lines).encode()).hexdigest()


def _hues(
    model: StoredModel, tables: list[Table], ids: Mapping[Key, int], mark: str
) -> tuple[dict[Key, int], list[tuple[int, str]]]:
    """Return the hue of each table by what is asked for, and the legend."""
    shares = _described_shares(model) if mark == "described" else {}
    cards = [
        Card(
            key=(table.schema, table.name), name=table.name, title=table.name, business_name=table.business_name, kind=table.kind,
            rows=[], hidden=0, described=shares.get(ids[table.schema, table.name], 0.0), width=CELL_WIDTH, height=CELL_HEIGHT,
            head=CELL_HEIGHT, id=f"t{ids[table.schema, table.name]}",
        )
        for table in tables
    ]  # fmt: skip
    drawing = Drawing(cards, [])
    colour(drawing, mark if mark in MARKS else MARKS[0])
    return {card.key: card.hue for card in cards}, drawing.legend


def _described_shares(model: StoredModel) -> dict[int, float]:
    counted = DescribedColumn.objects.filter(model_id=model.pk).values_list("table_id")
    rows = counted.annotate(all=Count("pk"), described=Count("pk", filter=~Q(definition="")))
    return {table: described / all_ for table, all_, described in rows}


def choices() -> list[tuple[str, str]]:
    """Return the marks that a map can be coloured by, each with what people call it."""
    return [(mark.name, mark.label) for mark in marks() if mark.name in MARKS]
