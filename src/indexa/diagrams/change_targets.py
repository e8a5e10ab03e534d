"""The kinds of objects of diagrams that can be undone: diagrams as a whole, what is set of them, and what lies on them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import F

from indexa.changes.errors import Conflict
from indexa.changes.models import Change, ChangeSet
from indexa.changes.targets import PlainField, TargetKind, last_writer, register
from indexa.changes.whole_records import RecordField
from indexa.diagrams.models import Diagram, DiagramCard, DiagramLine, DiagramNote
from indexa.diagrams.records import VIEW_FIELDS, record_of_card, record_of_diagram, record_of_line, record_of_note
from indexa.store.models import StoredRelationship, StoredTable

_VERSION = ", version = o.version + 1, changed_at = now()"


def _without_diagram(done: ChangeSet, back: Sequence[Change]) -> dict[int, str]:
    """Return what lay on diagrams that are deleted, unless the same change set deleted them: those come back first."""
    wanted = {_diagram_of(change) for change in back}
    there = set(Diagram.objects.filter(pk__in=wanted).values_list("pk", flat=True)) | _coming_back(done, "diagram")
    return {one.object_id: "its diagram was deleted" for one in back if _diagram_of(one) not in there}


def _cards_in_the_way(done: ChangeSet, back: Sequence[Change]) -> Mapping[int, str]:
    records = {change.object_id: change.before or {} for change in back}
    tables = {one["table_id"] for one in records.values()}
    known = set(StoredTable.objects.filter(pk__in=tables).values_list("pk", flat=True)) | _coming_back(done, "table")
    diagrams = {one["diagram_id"] for one in records.values()}
    taken = DiagramCard.objects.filter(diagram_id__in=diagrams).exclude(pk__in=list(records))
    again = set(taken.values_list("diagram_id", "table_id"))
    gone = {id_: "its table was deleted" for id_, one in records.items() if one["table_id"] not in known}
    twice = {
        id_: "it was put on the diagram again"
        for id_, one in records.items()
        if (one["diagram_id"], one["table_id"]) in again
    }
    return twice | gone | _without_diagram(done, back)


def _lines_in_the_way(done: ChangeSet, back: Sequence[Change]) -> Mapping[int, str]:
    wanted = {(change.before or {})["relationship_id"] for change in back}
    known = set(StoredRelationship.objects.filter(pk__in=wanted).values_list("pk", flat=True))
    known |= _coming_back(done, "relationship")
    gone = {
        one.object_id: "its relationship was deleted"
        for one in back
        if (one.before or {})["relationship_id"] not in known
    }
    return gone | _without_diagram(done, back)


def _diagram_of(change: Change) -> int:
    found: int = (change.after or change.before or {})["diagram_id"]
    return found


def _count_up(changes: Sequence[Change]) -> None:
    """Have pages know that they show an older state of the diagrams."""
    Diagram.objects.filter(pk__in={_diagram_of(change) for change in changes}).update(version=F("version") + 1)


def _coming_back(done: ChangeSet, target: str) -> set[int]:
    """Return the objects of a kind that the same change set deleted: they come back with what lies on them."""
    deleted = done.changes.filter(target=target, field="record", operation=Change.Operation.DELETE)
    return set(deleted.values_list("object_id", flat=True))


@dataclass(frozen=True)
class DiagramField:
    """A diagram as a whole: that it is there."""

    label: str = "Diagram"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return the diagrams that were changed since: undoing their making would take that along."""
        found = []
        for change in done.changes.filter(target=target, field=field):
            item = Diagram.objects.filter(pk=change.object_id).first()
            now: dict[str, Any] | None = record_of_diagram(item) if item else None
            if now != change.after:
                by = last_writer(target, change.object_id, "name", done.pk)
                found.append(Conflict(change.label, self.label, f"{by or 'somebody'} has changed it since", by))
        return found

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Make diagrams again, or delete them."""
        for change in inverse.changes.filter(target=target, field=field):
            if change.after is None:
                Diagram.objects.filter(pk=change.object_id).delete()
            else:
                Diagram.objects.create(pk=change.object_id, **change.after)


register(
    TargetKind(
        "note",
        "Note on a diagram",
        {"record": RecordField("Note", DiagramNote.objects, record_of_note, _without_diagram, _count_up)},
    )
)
register(
    TargetKind(
        "card",
        "Table on a diagram",
        {"record": RecordField("Table", DiagramCard.objects, record_of_card, _cards_in_the_way, _count_up)},
    )
)
register(
    TargetKind(
        "line",
        "Line on a diagram",
        {"record": RecordField("Line", DiagramLine.objects, record_of_line, _lines_in_the_way, _count_up)},
    )
)
register(
    TargetKind(
        "diagram",
        "Diagram",
        {"record": DiagramField()}
        | {field: PlainField(field.capitalize(), "diagram", field, also=_VERSION) for field in VIEW_FIELDS},
    )
)
