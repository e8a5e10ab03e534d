"""Making and changing diagrams: every change is a change set, and nothing here touches the model."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from django.db import transaction

from indexa.adapters.graphviz import place_by_graphviz
from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder, record
from indexa.core.diagram.marks import marks
from indexa.core.diagram.parts import Card
from indexa.core.diagram.placing import Direction, Style, part, place
from indexa.core.diagram.routing import route
from indexa.diagrams.drawing import draw, drawing_of, keep_routes, load_tables, neighbours
from indexa.diagrams.errors import DiagramError
from indexa.diagrams.models import Diagram, DiagramCard
from indexa.diagrams.records import VIEW_FIELDS, record_of_card, record_of_diagram, record_of_line, record_of_note
from indexa.diagrams.saving import lock, save_places, touch
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
    naming: str = "both",
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
        naming=naming,
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
        put_cards(changes, diagram, drawing.cards)
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


def put_cards(changes: Recorder, diagram: Diagram, cards: Sequence[Card]) -> None:
    """Put placed cards on a diagram as part of a change set."""
    made = [
        DiagramCard(pk=pk, diagram=diagram, table_id=int(card.id[1:]), x=card.x, y=card.y)
        for pk, card in zip(reserve_ids("diagram_card", len(cards)), cards, strict=True)
    ]
    DiagramCard.objects.bulk_create(made, batch_size=2_000)
    for one, card in zip(made, cards, strict=True):
        changes.create("card", one.pk, card.full_name, "record", record_of_card(one))


@transaction.atomic
def add(
    *, area: Area, person: Person, diagram: Diagram, table_ids: Collection[int], like: Diagram | None = None
) -> list[int]:
    """Put tables of the model on a diagram, each near one that it is related to; returns the ids of those that are new.

    Those that are on the diagram `like` keep the arrangement that they have there, beside all that is on this one.
    """
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
    if like is not None:
        _lay_as_on(fresh, placed, like)
    else:
        _lay_beside(fresh, placed, neighbours(new))
    with record(
        area=area, person=person, why=f"Added {_counted(len(new))} to {diagram.name}", model_id=diagram.model_id
    ) as changes:
        put_cards(changes, diagram, fresh)
    touch(diagram)
    return new


def _lay_as_on(fresh: Sequence[Card], placed: Mapping[str, Card], like: Diagram) -> None:
    """Lay new cards as they lie on another diagram, the whole group right of what is here."""
    there = {f"t{one.table_id}": one for one in like.cards.all()}
    for card in fresh:
        if one := there.get(card.id):
            card.x, card.y = one.x, one.y
    left, top = min(card.x for card in fresh), min(card.y for card in fresh)
    begin = max((card.right for card in placed.values()), default=-_BESIDE) + _BESIDE
    level = min((card.y for card in placed.values()), default=55.0)
    for card in fresh:
        card.x, card.y = card.x - left + begin, card.y - top + level
    part([*placed.values(), *fresh], {card.key: True for card in placed.values()})


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
        save_places(changes, diagram, {int(card.id[1:]): (card.x, card.y) for card in chosen})
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


def _make_room(changes: Recorder, diagram: Diagram) -> None:
    placed = list(diagram.cards.filter(table__removed_at__isnull=True).select_related("table"))
    drawing = draw(
        load_tables([one.table_id for one in placed]), placed, depth=diagram.depth, naming=diagram.naming, title=""
    )
    part(drawing.cards, gap=16.0)
    save_places(changes, diagram, {int(card.id[1:]): (card.x, card.y) for card in drawing.cards})


@transaction.atomic
def delete(*, area: Area, person: Person, diagram: Diagram) -> None:
    """Delete a diagram; the model keeps its tables, and undo brings the diagram back."""
    lock(diagram)
    with record(
        area=area, person=person, why=f"Deleted the diagram {diagram.name}", model_id=diagram.model_id
    ) as changes:
        for note in diagram.notes.all():
            changes.delete("note", note.pk, note.text.splitlines()[0][:60], "record", record_of_note(note))
        for bent in diagram.bent_lines.select_related("relationship"):
            changes.delete("line", bent.pk, bent.relationship.name, "record", record_of_line(bent))
        for one in diagram.cards.select_related("table"):
            changes.delete("card", one.pk, one.table.full_name, "record", record_of_card(one))
        changes.delete("diagram", diagram.pk, diagram.name, "record", record_of_diagram(diagram))
        diagram.delete()


def _counted(count: int) -> str:
    return f"{count:,} table{'' if count == 1 else 's'}"
