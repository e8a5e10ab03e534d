"""Moving tables on a diagram, bending its lines, and what is set of a single card."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder, record
from indexa.core.diagram.bending import are_bends
from indexa.core.diagram.cards import LEAST_WIDTH, MOST_WIDTH
from indexa.core.diagram.parts import Drawing, Line, Point
from indexa.core.diagram.routing import affected, route
from indexa.diagrams.drawing import drawing_of, keep_routes
from indexa.diagrams.errors import DiagramError
from indexa.diagrams.models import Diagram, DiagramLine
from indexa.diagrams.records import record_of_card, record_of_line
from indexa.diagrams.saving import lock, save_places, touch


@transaction.atomic
def move(*, area: Area, person: Person, diagram: Diagram, places: Mapping[int, tuple[float, float]]) -> Drawing:
    """Move tables (by id) to other places; lines that end there or would run through them find other ways.

    Bends that a person chose move with the tables, where both ends of their line move alike.

    What lies where nobody can see it (coordinates beyond a million px) is refused.
    """
    lock(diagram)
    if any(abs(x) > 1_000_000 or abs(y) > 1_000_000 for x, y in places.values()):
        raise DiagramError("That is too far away.")
    drawing = drawing_of(diagram)
    what = f"Moved {len(places):,} tables" if len(places) > 1 else "Moved a table"
    with record(area=area, person=person, why=f"{what} on {diagram.name}", model_id=diagram.model_id) as changes:
        move_within(changes, diagram, drawing, places)
    touch(diagram)
    return drawing


def move_within(
    changes: Recorder, diagram: Diagram, drawing: Drawing, places: Mapping[int, tuple[float, float]]
) -> None:
    """Move tables as part of a change set; the drawing gets the new places and ways too."""
    cards = {card.id: card for card in drawing.cards}
    save_places(changes, diagram, places)
    shifts: dict[str, tuple[float, float]] = {}
    for id_, (x, y) in places.items():
        if card := cards.get(f"t{id_}"):
            shifts[card.id] = (round(x, 1) - card.x, round(y, 1) - card.y)
            card.x, card.y = round(x, 1), round(y, 1)
    carried = [
        line for line in drawing.lines
        if line.ends[0] in shifts and shifts[line.ends[0]] == shifts.get(line.ends[1])
    ]  # fmt: skip
    for line in carried:
        by = shifts[line.ends[0]]
        line.points, line.bends = _shifted(line.points, by), _shifted(line.bends, by)
        if line.bends:
            _save_bends(changes, diagram, line)
    keys = {cards[id_].key for id_ in shifts}
    anew = affected(drawing.cards, drawing.lines, keys)
    route(drawing.cards, drawing.lines, only=anew)
    keep_routes(diagram, drawing)


def _shifted(points: Sequence[Point], by: tuple[float, float]) -> list[Point]:
    return [(x + by[0], y + by[1]) for x, y in points]


@transaction.atomic
def bend(*, area: Area, person: Person, diagram: Diagram, relationship_id: int, bends: Sequence[Point]) -> Drawing:
    """Keep the corners that a person chose for a line, or search its way again where there are none.

    Raises DiagramError for a line that is not on the diagram, one from a table to itself, and corners that make no way.
    """
    lock(diagram)
    drawing = drawing_of(diagram)
    number = next((at for at, line in enumerate(drawing.lines) if line.id == f"r{relationship_id}"), None)
    if number is None:
        raise DiagramError("That relationship is no longer on the diagram.")
    line = drawing.lines[number]
    if line.child == line.parent:
        raise DiagramError("A line from a table to itself keeps its shape.")
    if bends and not are_bends(bends):
        raise DiagramError("A line runs at right angles, and leaves its tables sideways.")
    line.bends = [(round(x, 1), round(y, 1)) for x, y in bends]
    what = "Bent" if bends else "Straightened"
    why = f"{what} the line from {line.child[1]} to {line.parent[1]} on {diagram.name}"
    with record(area=area, person=person, why=why, model_id=diagram.model_id) as changes:
        _save_bends(changes, diagram, line)
    route(drawing.cards, drawing.lines, only={number})
    keep_routes(diagram, drawing)
    touch(diagram)
    return drawing


def _save_bends(changes: Recorder, diagram: Diagram, line: Line) -> None:
    kept = diagram.bent_lines.filter(relationship_id=int(line.id[1:])).first()
    label = f"{line.child[1]} to {line.parent[1]}"
    bends = [list(point) for point in line.bends]
    if kept is None and bends:
        made = DiagramLine.objects.create(diagram=diagram, relationship_id=int(line.id[1:]), bends=bends)
        changes.create("line", made.pk, label, "record", record_of_line(made))
    elif kept is not None and not bends:
        changes.delete("line", kept.pk, label, "record", record_of_line(kept))
        kept.delete()
    elif kept is not None and kept.bends != bends:
        before = record_of_line(kept)
        kept.bends = bends
        kept.save(update_fields=["bends"])
        changes.update("line", kept.pk, label, "record", before, record_of_line(kept))


@transaction.atomic
def set_card(*, area: Area, person: Person, diagram: Diagram, table_id: int, given: Mapping[str, str]) -> None:
    """Give a table a depth or a width (in px) of its own, "" for that of the diagram or of what is on the card.

    Raises DiagramError for values that are none.
    """
    lock(diagram)
    card = diagram.cards.filter(table_id=table_id).select_related("table").first()
    if card is None:
        raise DiagramError("That table is no longer on the diagram.")
    before = record_of_card(card)
    if "depth" in given:
        if given["depth"] and given["depth"] not in Diagram.Depth.values:
            raise DiagramError(f"“{given['depth']}” is no depth.")
        card.depth = given["depth"]
    if "width" in given:
        card.width = _width(given["width"])
    if record_of_card(card) == before:
        return
    with record(area=area, person=person, why=f"Changed {diagram.name}", model_id=diagram.model_id) as changes:
        card.save(update_fields=["depth", "width"])
        changes.update("card", card.pk, card.table.full_name, "record", before, record_of_card(card))
    touch(diagram)


def _width(text: str) -> float:
    if not text.strip():
        return 0.0
    try:
        width = float(round(float(text)))
    except (ValueError, OverflowError) as error:
        raise DiagramError(f"“{text[:40]}” is no width in px.") from error
    if not LEAST_WIDTH <= width <= MOST_WIDTH:
        raise DiagramError(f"A card is {LEAST_WIDTH:.0f} to {MOST_WIDTH:.0f} px wide.")
    return width
