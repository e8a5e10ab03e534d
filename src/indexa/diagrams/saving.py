"""What every change of a diagram does: wait for its turn, write places, count the version up."""

from __future__ import annotations

from collections.abc import Mapping

from django.db.models import F
from django.utils import timezone

from indexa.changes.recording import Recorder
from indexa.diagrams.errors import DiagramError
from indexa.diagrams.models import Diagram, DiagramCard
from indexa.diagrams.records import record_of_card


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


def save_places(changes: Recorder, diagram: Diagram, places: Mapping[int, tuple[float, float]]) -> None:
    """Write where tables (by id) lie, and note those that lie elsewhere now."""
    moved = []
    for one in diagram.cards.filter(table_id__in=list(places)).select_related("table"):
        before = record_of_card(one)
        one.x, one.y = (round(value, 1) for value in places[one.table_id])
        if record_of_card(one) != before:
            changes.update("card", one.pk, one.table.full_name, "record", before, record_of_card(one))
            moved.append(one)
    DiagramCard.objects.bulk_update(moved, ["x", "y"], batch_size=2_000)
