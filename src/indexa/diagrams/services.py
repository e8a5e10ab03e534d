"""Making and changing diagrams: every change is a change set, and nothing here touches the model."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from indexa.adapters.graphviz import place_by_graphviz
from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder, record
from indexa.core.diagram.marks import marks
from indexa.core.diagram.parts import Card, Drawing
from indexa.core.diagram.placing import Direction, Style, part, place
from indexa.core.diagram.routing import affected, route
from indexa.diagrams.drawing import draw, drawing_of, keep_routes, load_tables, neighbours
from indexa.diagrams.errors import DiagramError
from indexa.diagrams.models import Diagram, DiagramCard
from indexa.diagrams.records import VIEW_FIELDS, record_of_card, record_of_diagram, record_of_note
from indexa.store.bulk import reserve_ids
from indexa.store.models import StoredModel, StoredTable

MOST_TABLES = 2_000
"""More tables make no diagram that anybody reads."""
_CHOICES: dict[str, Sequence[str]] = {
    "depth": Diagram.Depth.values,
    "naming": Diagram.Naming.values,
    "notation": Diagram.Notation.values,
}
_BESIDE = 70.0
"""How far from its neighbour a table that is added lies."""


@transaction.atomic
def create(
    *,
    area: Area,
    person: Person,
    model: StoredModel,
    name: str,
    table_ids: Collection[int],
    style: Style = "orthogonal",
    direction: Direction = "right",
    private: bool = False,
    depth: str = "columns",
    like: Diagram | None = None,
) -> Diagram:
    """Make a diagram of some tables of a model and lay it out, or keep the arrangement that they have on another diagram.

    Raises DiagramError for too many, or for a name that is none.
    """
    ids = list(model.tables.filter(pk__in=table_ids, removed_at__isnull=True).values_list("pk", flat=True))
    _check_count(len(ids))
    diagram = Diagram(
        model=model,
        name=_free_name(model, _checked(name)),
        private_to=person if private else None,
        made_by=person,
        depth=depth,
    )
    with record(area=area, person=person, why=f"New diagram {diagram.name}", model_id=model.pk) as changes:
        diagram.save()
        changes.create("diagram", diagram.pk, diagram.name, "record", record_of_diagram(diagram))
        cards = [DiagramCard(diagram=diagram, table_id=id_, x=0, y=0) for id_ in ids]
        drawing = draw(load_tables(ids), cards, depth=depth, naming=diagram.naming, title=diagram.name)
        kept = {f"t{one.table_id}": one for one in like.cards.all()} if like else {}
        if kept and all(card.id in kept for card in drawing.cards):
            for card in drawing.cards:
                card.x, card.y = kept[card.id].x, kept[card.id].y
            part(drawing.cards, gap=16.0)
        else:
            place(drawing.cards, drawing.lines, style, direction, place_by_graphviz)
        route(drawing.cards, drawing.lines)
        _create_cards(changes, diagram, drawing.cards)
        keep_routes(diagram, drawing)
    return diagram


def _checked(name: str) -> str:
    name = " ".join(name.replace("\x00", "").split())
    if not name:
        raise DiagramError("A diagram needs a name.")
    if len(name) > 120:
        raise DiagramError(f"The name has {len(name)} characters; 120 are kept.")
    return name


def _free_name(model: StoredModel, name: str) -> str:
    taken = set(model.diagrams.values_list("name", flat=True))
    numbered = (f"{name[:112]} {number}" for number in range(2, len(taken) + 3))
    return name if name not in taken else next(one for one in numbered if one not in taken)


def _check_count(count: int) -> None:
    if count > MOST_TABLES:
        raise DiagramError(f"{count:,} tables are too many for one diagram; {MOST_TABLES:,} is the most. Choose fewer.")


def _create_cards(changes: Recorder, diagram: Diagram, cards: Sequence[Card]) -> None:
    made = [
        DiagramCard(pk=pk, diagram=diagram, table_id=int(card.id[1:]), x=card.x, y=card.y)
        for pk, card in zip(reserve_ids("diagram_card", len(cards)), cards, strict=True)
    ]
    DiagramCard.objects.bulk_create(made, batch_size=2_000)
    for one, card in zip(made, cards, strict=True):
        changes.create("card", one.pk, card.full_name, "record", record_of_card(one))


@transaction.atomic
def move(*, area: Area, person: Person, diagram: Diagram, places: Mapping[int, tuple[float, float]]) -> Drawing:
    """Move tables (by id) to other places; lines that end there or would run through them find other ways.

    What lies where nobody can see it (coordinates beyond a million px) is refused.
    """
    lock(diagram)
    if any(abs(x) > 1_000_000 or abs(y) > 1_000_000 for x, y in places.values()):
        raise DiagramError("That is too far away.")
    drawing = drawing_of(diagram)
    cards = {card.id: card for card in drawing.cards}
    what = f"Moved {len(places):,} tables" if len(places) > 1 else "Moved a table"
    with record(area=area, person=person, why=f"{what} on {diagram.name}", model_id=diagram.model_id) as changes:
        _save_places(changes, diagram, places)
    for id_, (x, y) in places.items():
        if card := cards.get(f"t{id_}"):
            card.x, card.y = round(x, 1), round(y, 1)
    keys = {cards[f"t{id_}"].key for id_ in places if f"t{id_}" in cards}
    route(drawing.cards, drawing.lines, only=affected(drawing.cards, drawing.lines, keys))
    keep_routes(diagram, drawing)
    touch(diagram)
    return drawing


@transaction.atomic
def add(*, area: Area, person: Person, diagram: Diagram, table_ids: Collection[int]) -> list[int]:
    """Put tables of the model on a diagram, each near one that it is related to; returns the ids of those that are new."""
    lock(diagram)
    there = set(diagram.cards.values_list("table_id", flat=True))
    wanted = StoredTable.objects.filter(model_id=diagram.model_id, pk__in=table_ids, removed_at__isnull=True)
    new = [id_ for id_ in wanted.values_list("pk", flat=True) if id_ not in there]
    _check_count(len(there) + len(new))
    if not new:
        return []
    drawing = drawing_of(diagram)
    placed = {card.id: card for card in drawing.cards}
    fresh = draw(
        load_tables(new), [DiagramCard(diagram=diagram, table_id=id_, x=0, y=0) for id_ in new], depth=diagram.depth,
        naming=diagram.naming, title="",
    ).cards  # fmt: skip
    _lay_beside(fresh, placed, neighbours(new))
    with record(
        area=area, person=person, why=f"Added {_counted(len(new))} to {diagram.name}", model_id=diagram.model_id
    ) as changes:
        _create_cards(changes, diagram, fresh)
    touch(diagram)
    return new


def _lay_beside(
    fresh: Sequence[Card], placed: dict[str, Card], related: Mapping[int, tuple[set[int], set[int]]]
) -> None:
    """Lay each new card beside one that it is related to: right of what it refers to, left of what refers to it."""
    fixed = {card.key: True for card in placed.values()}
    right = max((card.right for card in placed.values()), default=0.0)
    top = min((card.y for card in placed.values()), default=40.0)
    for card in sorted(fresh, key=lambda card: card.key):
        parents, children = related[int(card.id[1:])]
        near = next((placed[f"t{id_}"] for id_ in sorted(parents) if f"t{id_}" in placed), None)
        if near is not None:
            card.x, card.y = near.right + _BESIDE, near.y
        elif (near := next((placed[f"t{id_}"] for id_ in sorted(children) if f"t{id_}" in placed), None)) is not None:
            card.x, card.y = near.x - card.width - _BESIDE, near.y
        else:
            card.x, card.y = right + _BESIDE, top
        placed[card.id] = card
        part(list(placed.values()), fixed)
        fixed[card.key] = True


@transaction.atomic
def remove(*, area: Area, person: Person, diagram: Diagram, table_ids: Collection[int]) -> int:
    """Take tables off a diagram; the model keeps them. Returns how many."""
    lock(diagram)
    found = list(diagram.cards.filter(table_id__in=table_ids).select_related("table"))
    why = f"Removed {_counted(len(found))} from {diagram.name}"
    with record(area=area, person=person, why=why, model_id=diagram.model_id) as changes:
        for one in found:
            changes.delete("card", one.pk, one.table.full_name, "record", record_of_card(one))
        DiagramCard.objects.filter(pk__in=[one.pk for one in found]).delete()
    touch(diagram)
    return len(found)


@transaction.atomic
def arrange(
    *,
    area: Area,
    person: Person,
    diagram: Diagram,
    style: Style,
    direction: Direction,
    table_ids: Collection[int] | None = None,
) -> None:
    """Lay out a diagram anew, or only some of its tables, where the others stay and are not covered."""
    lock(diagram)
    drawing = drawing_of(diagram)
    chosen = [card for card in drawing.cards if table_ids is None or int(card.id[1:]) in table_ids]
    keys = {card.key for card in chosen}
    left, top = min((card.x for card in chosen), default=40.0), min((card.y for card in chosen), default=55.0)
    inner = [line for line in drawing.lines if line.child in keys and line.parent in keys]
    place(chosen, inner, style, direction, place_by_graphviz)
    if len(chosen) < len(drawing.cards):
        for card in chosen:
            card.x, card.y = card.x - 40 + left, card.y - 55 + top
        part(drawing.cards, {card.key: True for card in drawing.cards if card.key not in keys})
    route(drawing.cards, drawing.lines)
    why = f"Arranged {_counted(len(chosen))} on {diagram.name}"
    with record(area=area, person=person, why=why, model_id=diagram.model_id) as changes:
        _save_places(changes, diagram, {int(card.id[1:]): (card.x, card.y) for card in chosen})
    keep_routes(diagram, drawing)
    touch(diagram)


@transaction.atomic
def set_view(*, area: Area, person: Person, diagram: Diagram, given: Mapping[str, str]) -> None:
    """Set name, depth, naming, notation or colour. Raises DiagramError for a value that is none.

    Where another depth makes cards larger, those that would lie on each other are moved apart.
    """
    lock(diagram)
    with record(area=area, person=person, why=f"Changed {diagram.name}", model_id=diagram.model_id) as changes:
        for field in VIEW_FIELDS:
            if field not in given or given[field] == getattr(diagram, field):
                continue
            value = _checked(given[field]) if field == "name" else given[field]
            choices = [mark.name for mark in marks()] if field == "colour" else _CHOICES.get(field)
            if choices and value not in choices:
                raise DiagramError(f"“{value}” is no {field} of a diagram.")
            changes.update("diagram", diagram.pk, diagram.name, field, getattr(diagram, field), value)
            setattr(diagram, field, value)
        diagram.save(update_fields=[*VIEW_FIELDS, "changed_at"])
        if {"depth", "naming"} & given.keys():
            _make_room(changes, diagram)
    touch(diagram)


@transaction.atomic
def set_card_depth(*, area: Area, person: Person, diagram: Diagram, table_id: int, depth: str) -> None:
    """Give a table a depth of its own, "" for that of the diagram. Raises DiagramError for one that is none."""
    lock(diagram)
    if depth and depth not in Diagram.Depth.values:
        raise DiagramError(f"“{depth}” is no depth.")
    card = diagram.cards.filter(table_id=table_id).select_related("table").first()
    if card is None:
        raise DiagramError("That table is no longer on the diagram.")
    with record(area=area, person=person, why=f"Changed {diagram.name}", model_id=diagram.model_id) as changes:
        before = record_of_card(card)
        card.depth = depth
        card.save(update_fields=["depth"])
        if record_of_card(card) != before:
            changes.update("card", card.pk, card.table.full_name, "record", before, record_of_card(card))
    touch(diagram)


def _make_room(changes: Recorder, diagram: Diagram) -> None:
    placed = list(diagram.cards.filter(table__removed_at__isnull=True).select_related("table"))
    drawing = draw(
        load_tables([one.table_id for one in placed]), placed, depth=diagram.depth, naming=diagram.naming, title=""
    )
    part(drawing.cards, gap=16.0)
    _save_places(changes, diagram, {int(card.id[1:]): (card.x, card.y) for card in drawing.cards})


def _save_places(changes: Recorder, diagram: Diagram, places: Mapping[int, tuple[float, float]]) -> None:
    """Write where tables (by id) lie, and note those that lie elsewhere now."""
    moved = []
    for one in diagram.cards.filter(table_id__in=list(places)).select_related("table"):
        before = record_of_card(one)
        one.x, one.y = (round(value, 1) for value in places[one.table_id])
        if record_of_card(one) != before:
            changes.update("card", one.pk, one.table.full_name, "record", before, record_of_card(one))
            moved.append(one)
    DiagramCard.objects.bulk_update(moved, ["x", "y"], batch_size=2_000)


@transaction.atomic
def delete(*, area: Area, person: Person, diagram: Diagram) -> None:
    """Delete a diagram; the model keeps its tables, and undo brings the diagram back."""
    lock(diagram)
    with record(
        area=area, person=person, why=f"Deleted the diagram {diagram.name}", model_id=diagram.model_id
    ) as changes:
        for note in diagram.notes.all():
            changes.delete("note", note.pk, note.text.splitlines()[0][:60], "record", record_of_note(note))
        for one in diagram.cards.select_related("table"):
            changes.delete("card", one.pk, one.table.full_name, "record", record_of_card(one))
        changes.delete("diagram", diagram.pk, diagram.name, "record", record_of_diagram(diagram))
        diagram.delete()


def lock(diagram: Diagram) -> None:
    """Have changes of one diagram follow each other. Raises DiagramError where it was deleted meanwhile."""
    fresh = Diagram.objects.select_for_update(of=("self",)).filter(pk=diagram.pk).first()
    if fresh is None:
        raise DiagramError("This diagram was deleted. Go back to the list of diagrams.")
    diagram.version, diagram.routes = fresh.version, fresh.routes


def touch(diagram: Diagram) -> None:
    """Count a diagram's version up, so that pages know that they show an older state."""
    Diagram.objects.filter(pk=diagram.pk).update(version=F("version") + 1, changed_at=timezone.now())
    diagram.refresh_from_db(fields=["version", "changed_at"])


def _counted(count: int) -> str:
    return f"{count:,} table{'' if count == 1 else 's'}"
