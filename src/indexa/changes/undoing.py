"""Undo and redo: a change set by its inverse, whole or not at all, with everything listed that is in the way."""

from __future__ import annotations

from django.db import connection, transaction
from django.db.models import Max, Q
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.changes import targets
from indexa.changes.errors import AlreadyUndoneError, ChangeError, Conflict, ConflictsError
from indexa.changes.models import ChangeSet
from indexa.changes.signals import objects_changed
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background

LARGE = 3_000
"""From this many differences on, taking back what a reading brought is work for a job."""
_Kind = ChangeSet.Kind


def next_to_undo(*, area: Area, person: Person, change_set_id: int | None = None) -> ChangeSet | None:
    """Return the change set of this person that undo would take back: the one asked for, or their last one."""
    can_be_undone = Q(kind__in=[_Kind.EDIT, _Kind.REDO]) | Q(kind=_Kind.INTAKE, before_snapshot__isnull=False)
    return _last(ChangeSet.objects.filter(can_be_undone, area=area, person=person), change_set_id)


def next_to_redo(*, area: Area, person: Person, change_set_id: int | None = None) -> ChangeSet | None:
    """Return the undo of this person that redo would take back: the one asked for, or their last one."""
    return _last(ChangeSet.objects.filter(kind=_Kind.UNDO, area=area, person=person), change_set_id)


def _last(candidates: object, change_set_id: int | None) -> ChangeSet | None:
    found = candidates.filter(undone_by__isnull=True)  # type: ignore[attr-defined]
    if change_set_id is not None:
        found = found.filter(pk=change_set_id)
    last: ChangeSet | None = found.select_related("model").order_by("-at", "-id").first()
    return last


def is_large(change_set: ChangeSet) -> bool:
    """Say whether undoing a change set is work for a job: what a reading brought to a great many tables."""
    return change_set.before_snapshot_id is not None and change_set.changes.count() > LARGE


@transaction.atomic
def undo(*, area: Area, person: Person, change_set_id: int | None = None) -> ChangeSet:
    """Undo one change set of this person, or their last one, by its inverse.

    Raises ChangeError if there is none or it can't be undone now, ConflictsError with all that was changed since, and
    AlreadyUndoneError if another request undid it at this moment.
    """
    last = next_to_undo(area=area, person=person, change_set_id=change_set_id)
    if last is None:
        raise ChangeError("There is nothing of yours to undo here.")
    return revert(last, person)


@transaction.atomic
def redo(*, area: Area, person: Person, change_set_id: int | None = None) -> ChangeSet:
    """Redo what an undo of this person took back. Raises as `undo` does."""
    last = next_to_redo(area=area, person=person, change_set_id=change_set_id)
    if last is None:
        raise ChangeError("There is nothing of yours to redo here.")
    return revert(last, person)


class UndoArguments(Arguments):
    """Which change set is undone or redone."""

    change_set: int
    redo: bool = False


@background("undo", UndoArguments)
def undo_in_background(job: Job, progress: Progress) -> str:
    """Undo or redo a change set that is large. Returns the address of the model's history."""
    assert job.started_by is not None
    progress.report("Bringing the state before back")
    act = redo if job.arguments.get("redo") else undo
    try:
        undone = act(area=job.area, person=job.started_by, change_set_id=job.arguments["change_set"])
    except ChangeError as error:
        raise JobFailedError(str(error)) from error
    return reverse("modeling:history", args=[job.area.slug, undone.model_id])


@transaction.atomic
def revert(last: ChangeSet, person: Person) -> ChangeSet:
    """Take a change set back, whoever made it: an undo is redone, anything else undone. Raises as `undo` does."""
    kind = _Kind.REDO if last.kind == _Kind.UNDO else _Kind.UNDO
    ChangeSet.objects.select_for_update(of=("self",)).get(pk=last.pk)
    if ChangeSet.objects.filter(undoes=last).exists():
        raise AlreadyUndoneError
    for guard in targets.guards():
        guard(last)
    fields = _fields(last)
    if conflicts := _conflicts(last, fields):
        raise ConflictsError(conflicts)
    inverse = ChangeSet.objects.create(
        area_id=last.area_id, model_id=last.model_id, kind=kind, person=person, undoes=last, why=last.why
    )
    if last.before_snapshot_id is not None:
        for revert in targets.states():
            revert(last, inverse)
    ids: dict[str, list[int]] = {}
    for target, field in fields:
        ids.setdefault(target, []).extend(_invert(inverse, last, target, field))
    _toggle(last)
    objects_changed.send(ChangeSet, change_set=inverse, ids=ids)
    return inverse


def _fields(last: ChangeSet) -> list[tuple[str, str]]:
    """Return which fields of which kinds a change set changed, the last ones first; what is only told is left out."""
    found = last.changes.filter(object_id__gt=0).values("target", "field").annotate(last=Max("id")).order_by("-last")
    return [(row["target"], row["field"]) for row in found if targets.handler_of(row["target"], row["field"])]


def _conflicts(last: ChangeSet, fields: list[tuple[str, str]]) -> list[Conflict]:
    found: list[Conflict] = []
    for target, field in fields:
        handler = targets.handler_of(target, field)
        assert handler is not None
        found += handler.conflicts(last, target, field)
    return found


def _invert(inverse: ChangeSet, last: ChangeSet, target: str, field: str) -> list[int]:
    with connection.cursor() as cursor:
        cursor.execute(
            "insert into change (change_set_id, operation, target, object_id, label, field, before, after) "
            "select %s, case operation when 'create' then 'delete' when 'delete' then 'create' else operation end, "
            "target, object_id, label, field, after, before from change "
            "where change_set_id = %s and target = %s and field = %s and object_id > 0 order by id desc returning object_id",
            [inverse.pk, last.pk, target, field],
        )
        ids = [row[0] for row in cursor.fetchall()]
    handler = targets.handler_of(target, field)
    assert handler is not None
    handler.write(inverse, target, field)
    return ids


def _toggle(last: ChangeSet) -> None:
    """Note what is in force now: what an undo had taken back is again, what that one had, is not."""
    in_force, one = False, last
    while True:
        ChangeSet.objects.filter(pk=one.pk).update(in_force=in_force)
        if one.undoes is None:
            return
        in_force, one = not in_force, one.undoes
