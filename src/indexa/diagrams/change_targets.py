"""The kinds of objects of diagrams that can be undone: diagrams as a whole, what is set of them, and cards."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import F

from indexa.changes.errors import Conflict
from indexa.changes.models import Change, ChangeSet
from indexa.changes.targets import MOST_CONFLICTS, PlainField, TargetKind, last_writer, register
from indexa.diagrams.models import Diagram, DiagramCard, DiagramNote
from indexa.diagrams.records import VIEW_FIELDS, record_of_card, record_of_diagram, record_of_note
from indexa.store.models import StoredTable

_VERSION = ", version = o.version + 1, changed_at = now()"


@dataclass(frozen=True)
class CardField:
    """A card as a whole: that it is there, and where."""

    label: str = "Table"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return the cards that were moved or removed since, and those whose diagram or table is gone."""
        changes = list(done.changes.filter(target=target, field=field))
        now = DiagramCard.objects.in_bulk([change.object_id for change in changes])
        back = [change.before for change in changes if change.before]
        diagrams = set(Diagram.objects.filter(pk__in={one["diagram_id"] for one in back}).values_list("pk", flat=True))
        deleted = _deleted_with(done)
        tables = set(StoredTable.objects.filter(pk__in={one["table_id"] for one in back}).values_list("pk", flat=True))
        pairs = {(one["diagram_id"], one["table_id"]) for one in back}
        ours = {change.object_id for change in changes}
        taken = DiagramCard.objects.filter(diagram_id__in={pair[0] for pair in pairs}).exclude(pk__in=ours)
        there = set(taken.values_list("diagram_id", "table_id"))
        found = []
        for change in changes:
            item = now.get(change.object_id)
            if (record_of_card(item) if item else None) != change.after:
                by = last_writer(target, change.object_id, field, done.pk)
                found.append(
                    Conflict(change.label, self.label, f"{by or 'somebody'} has moved or removed it since", by)
                )
            elif change.before and change.before["diagram_id"] not in diagrams | deleted:
                found.append(Conflict(change.label, self.label, "its diagram was deleted"))
            elif change.before and change.before["table_id"] not in tables:
                found.append(Conflict(change.label, self.label, "its table was deleted"))
            elif change.before and (change.before["diagram_id"], change.before["table_id"]) in there:
                found.append(Conflict(change.label, self.label, "it was put on the diagram again"))
        return found[:MOST_CONFLICTS]

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Make, move and remove cards as the changes say."""
        changes = list(inverse.changes.filter(target=target, field=field))
        DiagramCard.objects.filter(pk__in=[one.object_id for one in changes if one.after is None]).delete()
        there = DiagramCard.objects.in_bulk([one.object_id for one in changes if one.after])
        fresh: list[DiagramCard] = []
        moved: list[DiagramCard] = []
        for change in changes:
            if not change.after:
                continue
            card = there.get(change.object_id) or DiagramCard(pk=change.object_id)
            for name, value in change.after.items():
                setattr(card, name, value)
            (moved if change.object_id in there else fresh).append(card)
        DiagramCard.objects.bulk_create(fresh, batch_size=2_000)
        DiagramCard.objects.bulk_update(moved, ["x", "y", "depth"], batch_size=2_000)
        touched: set[int] = {(one.after or one.before or {})["diagram_id"] for one in changes}
        Diagram.objects.filter(pk__in=touched).update(version=F("version") + 1)


def _deleted_with(done: ChangeSet) -> set[int]:
    """Return the diagrams that the same change set deleted: they come back first."""
    deleted = done.changes.filter(target="diagram", field="record", operation=Change.Operation.DELETE)
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


@dataclass(frozen=True)
class NoteField:
    """A note or frame as a whole."""

    label: str = "Note"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return the notes that were changed since, and those whose diagram is gone."""
        changes = list(done.changes.filter(target=target, field=field))
        now = DiagramNote.objects.in_bulk([change.object_id for change in changes])
        wanted = {change.before["diagram_id"] for change in changes if change.before}
        diagrams = set(Diagram.objects.filter(pk__in=wanted).values_list("pk", flat=True)) | _deleted_with(done)
        found = []
        for change in changes:
            item = now.get(change.object_id)
            if (record_of_note(item) if item else None) != change.after:
                by = last_writer(target, change.object_id, field, done.pk)
                found.append(Conflict(change.label, self.label, f"{by or 'somebody'} has changed it since", by))
            elif change.before and change.before["diagram_id"] not in diagrams:
                found.append(Conflict(change.label, self.label, "its diagram was deleted"))
        return found[:MOST_CONFLICTS]

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Make, change and delete notes as the changes say."""
        changes = list(inverse.changes.filter(target=target, field=field))
        DiagramNote.objects.filter(pk__in=[one.object_id for one in changes if one.after is None]).delete()
        for change in changes:
            if change.after is not None:
                DiagramNote.objects.update_or_create(pk=change.object_id, defaults=change.after)
        touched: set[int] = {(one.after or one.before or {})["diagram_id"] for one in changes}
        Diagram.objects.filter(pk__in=touched).update(version=F("version") + 1)


register(TargetKind("note", "Note on a diagram", {"record": NoteField()}))
register(TargetKind("card", "Table on a diagram", {"record": CardField()}))
register(
    TargetKind(
        "diagram",
        "Diagram",
        {"record": DiagramField()}
        | {field: PlainField(field.capitalize(), "diagram", field, also=_VERSION) for field in VIEW_FIELDS},
    )
)
