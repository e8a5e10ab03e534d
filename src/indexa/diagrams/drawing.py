"""From a stored diagram to a drawing: its tables are loaded (and no others), its cards placed, its lines routed."""

from __future__ import annotations

import hashlib
from collections import defaultdict, deque
from collections.abc import Collection, Iterable, Sequence
from typing import Any

from django.db.models import Max, Q

from indexa.changes.models import ChangeSet
from indexa.core.diagram.arranging import measure_as_it_is
from indexa.core.diagram.cards import card_of, lines_between
from indexa.core.diagram.marks import colour
from indexa.core.diagram.parts import Drawing, Line, Note
from indexa.core.diagram.routing import route
from indexa.core.model import Column, ForeignKey, Key, Table
from indexa.diagrams.asked import asked_between
from indexa.diagrams.models import Diagram, DiagramCard
from indexa.store.models import DescribedColumn, Layer, StoredKey, StoredModel, StoredRelationship, StoredTable


def load_tables(ids: Collection[int]) -> list[Table]:
    """Return some tables with what cards and lines need of them, in five queries; ids as the core has them ("t12").

    What has no business name in a logical model is called in business words already: there the name is one.
    """
    stored = StoredTable.objects.filter(pk__in=ids, removed_at__isnull=True).select_related("entity", "model")
    logical = {one.pk for one in stored if one.model.layer == Layer.LOGICAL}
    made = {
        one.pk: Table(
            schema=one.schema, name=one.name, kind=one.kind,  # type: ignore[arg-type]
            business_name=one.business_name or (one.entity.business_name if one.entity else "") or (one.name if one.pk in logical else ""),
            definition=one.definition or (one.entity.definition if one.entity else ""), id=f"t{one.pk}",
        )
        for one in stored
    }  # fmt: skip
    names: dict[int, str] = {}
    fields = ("pk", "table_id", "name", "position", "type", "nullable", "business_name", "definition")
    for pk, table, name, position, type_, nullable, business_name, definition in (
        DescribedColumn.objects.filter(table_id__in=list(made)).order_by("table_id", "position").values_list(*fields)
    ):
        names[pk] = name
        made[table].columns.append(
            Column(
                name,
                position,
                type_,
                nullable,
                business_name=business_name or (name if table in logical else ""),
                definition=definition,
                id=f"c{pk}",
            )
        )
    for table, kind, column_ids in (
        StoredKey.objects.filter(table_id__in=list(made))
        .exclude(kind="exclusion")
        .values_list("table_id", "kind", "column_ids")
    ):
        key = Key(name="", columns=tuple(names[id_] for id_ in column_ids if id_ in names))
        if kind == "primary":
            made[table].primary_key = key
        else:
            made[table].unique.append(key)
    for one in StoredRelationship.objects.filter(table_id__in=list(made), ref_table_id__in=list(made)).order_by("pk"):
        parent = made[one.ref_table_id or 0]
        made[one.table_id].foreign_keys.append(
            ForeignKey(
                name=f"{one.pk} {one.name}", columns=tuple(names[id_] for id_ in one.column_ids if id_ in names),
                ref_schema=parent.schema, ref_table=parent.name,
                ref_columns=tuple(names[id_] for id_ in one.ref_column_ids if id_ in names), asserted=one.asserted_at is not None,
            )
        )  # fmt: skip
    return sorted(made.values(), key=lambda table: (table.schema, table.name))


def draw(
    tables: Sequence[Table], placed: Iterable[DiagramCard], *, depth: str, naming: str, title: str, mark: str = "schema"
) -> Drawing:
    """Return the cards of tables at their places, and the lines between them, not routed yet."""
    places = {f"t{one.table_id}": one for one in placed}
    cards = []
    for table in tables:
        place = places[table.id]
        own: Any = place.depth or depth
        card = card_of(table, own, naming, place.width)  # type: ignore[arg-type]
        card.x, card.y = place.x, place.y
        cards.append(card)
    lines = lines_between(tables)
    for line in lines:
        number, _, line.name = line.name.partition(" ")
        line.id = f"r{number}"
    drawing = Drawing(cards, lines, title=title)
    colour(drawing, mark)
    return drawing


def state_of(diagram: Diagram) -> str:
    """Return what a drawing depends on, as a text that changes with it: the diagram, and what was changed in its model."""
    return f"{diagram.version}.{last_change_of(diagram.model)}"


def last_change_of(model: StoredModel) -> int:
    """Return the last change set of a model or of the one that it implements; 0 before the first."""
    of_model = Q(model_id=model.pk) | Q(model_id=model.logical_id)
    last = ChangeSet.objects.filter(of_model).aggregate(last=Max("pk"))["last"]
    return last or 0


def _asked_lines(diagram: Diagram, drawing: Drawing) -> list[Line]:
    """Return the relationships that wait for a person, as lines; columns that have a line already have none."""
    cards = {int(card.id[1:]): card for card in drawing.cards}
    there = {(line.child, frozenset(line.columns)) for line in drawing.lines}
    found = []
    for one in asked_between(diagram.model.area.slug, list(cards)):
        child, parent = cards[one.child], cards[one.parent]
        if (child.key, frozenset(one.columns)) in there:
            continue
        words = f"Proposed, {one.confidence:.2f}: {child.name}.{', '.join(one.columns)} refers to {parent.name}"
        found.append(
            Line(
                name="", child=child.key, parent=parent.key, columns=one.columns, ref_columns=one.ref_columns,
                confidence=one.confidence, id=one.id, ends=(child.id, parent.id), words=words, address=one.address,
            )
        )  # fmt: skip
    return found


def drawing_of(diagram: Diagram) -> Drawing:
    """Return a diagram as it is, laid out; routes that hold still are taken as they are kept, others worked out and kept."""
    placed = list(diagram.cards.filter(table__removed_at__isnull=True))
    tables = load_tables([one.table_id for one in placed])
    drawing = draw(tables, placed, depth=diagram.depth, naming=diagram.naming, title=diagram.name, mark=diagram.colour)
    bends = dict(diagram.bent_lines.values_list("relationship_id", "bends"))
    for line in drawing.lines:
        line.bends = [(x, y) for x, y in bends.get(int(line.id[1:]), [])]
    drawing.lines += _asked_lines(diagram, drawing)
    drawing.notes = [
        Note(one.kind, one.text, one.x, one.y, one.width, one.height, f"n{one.pk}")  # type: ignore[arg-type]
        for one in diagram.notes.all()
    ]
    give_routes(diagram, drawing)
    measure_as_it_is(drawing)
    return drawing


def give_routes(diagram: Diagram, drawing: Drawing) -> None:
    """Give the lines their kept routes where places and sizes are those they were made for, else new ones."""
    kept, digest = diagram.routes.get("lines", {}), _digest(drawing)
    is_true = diagram.routes.get("for") == digest
    missing = {at for at, line in enumerate(drawing.lines) if not is_true or line.id not in kept}
    for line in drawing.lines:
        if is_true and line.id in kept:
            line.points = [(x, y) for x, y in kept[line.id]]
    if missing:
        route(drawing.cards, drawing.lines, only=missing)
        keep_routes(diagram, drawing)


def keep_routes(diagram: Diagram, drawing: Drawing) -> None:
    """Keep the routes of a drawing with its diagram."""
    diagram.routes = {"for": _digest(drawing), "lines": {line.id: line.points for line in drawing.lines}}
    Diagram.objects.filter(pk=diagram.pk).update(routes=diagram.routes)


def _digest(drawing: Drawing) -> str:
    """Return what routes depend on, in short: each card's place, size and rows, and the bends that people chose."""
    parts = [
        f"{card.id} {card.x:.0f} {card.y:.0f} {card.width:.0f} {card.height:.0f} {[row.column for row in card.rows]}"
        for card in sorted(drawing.cards, key=lambda card: card.id)
    ]
    parts += sorted(f"{line.id} {line.bends}" for line in drawing.lines if line.bends)
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()


def path_between(model_id: int, begin: int, end: int) -> list[int]:
    """Return the tables on a shortest way of relationships between two tables of a model, both included; none if there is none."""
    beside: defaultdict[int, set[int]] = defaultdict(set)
    edges = StoredRelationship.objects.filter(
        table__model_id=model_id, table__removed_at__isnull=True, ref_table__removed_at__isnull=True
    )
    for child, parent in edges.order_by("pk").values_list("table_id", "ref_table_id"):
        if parent:
            beside[child].add(parent)
            beside[parent].add(child)
    came: dict[int, int] = {begin: begin}
    waiting = deque([begin])
    while waiting and end not in came:
        at = waiting.popleft()
        for other in sorted(beside[at]):
            if other not in came:
                came[other] = at
                waiting.append(other)
    if end not in came:
        return []
    way = [end]
    while way[-1] != begin:
        way.append(came[way[-1]])
    return way[::-1]


def neighbours(table_ids: Collection[int]) -> dict[int, tuple[set[int], set[int]]]:
    """Return of each table the ids of the tables that it refers to, and of those that refer to it."""
    found: dict[int, tuple[set[int], set[int]]] = {id_: (set(), set()) for id_ in table_ids}
    edges = StoredRelationship.objects.filter(table__removed_at__isnull=True, ref_table__removed_at__isnull=True)
    for child, parent in edges.filter(table_id__in=table_ids).values_list("table_id", "ref_table_id"):
        if parent and parent != child:
            found[child][0].add(parent)
    for child, parent in edges.filter(ref_table_id__in=table_ids).values_list("table_id", "ref_table_id"):
        if parent and parent != child:
            found[parent][1].add(child)
    return found
