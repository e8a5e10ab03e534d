"""What diagrams have to say on the cards of models and on the page of a table."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

from django.db.models import Q
from django.http import HttpRequest
from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

from indexa.areas.models import Area, Person
from indexa.diagrams.drawing import draw, load_tables, neighbours
from indexa.diagrams.models import Diagram, DiagramCard
from indexa.diagrams.previews import MOST, picture
from indexa.modeling.pictures import pictures_models
from indexa.modeling.uses import MOST as MOST_USES
from indexa.modeling.uses import Use, uses
from indexa.store.models import StoredColumn, StoredTable
from indexa.ui.panels import panel


@panel("table", order=5, template="diagrams/_table.html", anchor="around", label="Diagram")
def table_around(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return a table that is related to others; None for one that stands alone."""
    refers, referred = neighbours([table.pk])[table.pk]
    return {"table": table, "count": ""} if refers or referred else None


@pictures_models
def first_diagrams(area: Area, person: Person) -> dict[int, SafeString]:
    """Return a small picture of each model's first diagram, in eight queries for all."""
    visible = Diagram.objects.filter(model__area=area).filter(Q(private_to__isnull=True) | Q(private_to=person))
    first = list(visible.order_by("model_id", "pk").distinct("model_id"))
    placed: defaultdict[int, list[DiagramCard]] = defaultdict(list)
    for card in DiagramCard.objects.filter(diagram__in=first, table__removed_at__isnull=True).order_by("pk"):
        if len(placed[card.diagram_id]) < MOST:
            placed[card.diagram_id].append(card)
    tables = {table.id: table for table in load_tables([card.table_id for cards in placed.values() for card in cards])}
    found = {}
    for diagram in first:
        cards = placed[diagram.pk]
        own = [tables[f"t{card.table_id}"] for card in cards]
        drawing = draw(own, cards, depth=diagram.depth, naming=diagram.naming, title="")
        found[diagram.model_id] = mark_safe(picture(drawing.cards, drawing.lines))  # noqa: S308  made of numbers
    return found


@uses(order=40)
def on_diagrams(request: HttpRequest, table: StoredTable, column: StoredColumn | None) -> Iterator[Use]:
    """Tell of diagrams that show a table, shared ones and own ones."""
    visible = Diagram.objects.filter(Q(private_to__isnull=True) | Q(private_to=request.user.pk))
    for diagram in visible.filter(cards__table=table).distinct()[:MOST_USES]:
        address = reverse("diagrams:page", args=[request.area.slug, diagram.pk])  # type: ignore[attr-defined]
        yield Use(diagram.name, address, "diagram", is_machine_name=False)
