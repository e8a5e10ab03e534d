"""Objects that changes make, change and delete as a whole: each change holds a record of the object before and after it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import models

from indexa.changes.errors import Conflict
from indexa.changes.models import Change, ChangeSet
from indexa.changes.targets import MOST_CONFLICTS, last_writer

_AT_ONCE = 2_000


def nothing_in_the_way(done: ChangeSet, back: Sequence[Change]) -> Mapping[int, str]:
    """Return no reasons: for objects that can always be made again."""
    return {}


def nothing_follows(changes: Sequence[Change]) -> None:
    """Do nothing: for objects that nothing else depends on."""


@dataclass(frozen=True)
class RecordField:
    """An object of one of our tables as a whole.

    `objects` is the table's manager. `in_the_way` is given the changes whose objects would be as before again, and returns by
    object why one can't be. `after_write` is called with the changes once they are written, for what depends on them.
    """

    label: str
    objects: models.Manager[Any]
    record_of: Callable[[Any], dict[str, Any]]
    in_the_way: Callable[[ChangeSet, Sequence[Change]], Mapping[int, str]] = nothing_in_the_way
    after_write: Callable[[Sequence[Change]], None] = nothing_follows
    derived: frozenset[str] = frozenset()
    """Fields that follow from others by themselves: that they are otherwise is nobody's change."""

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return the objects that were changed or deleted since, and those that can't be as they were."""
        changes = list(done.changes.filter(target=target, field=field))
        now = self.objects.in_bulk([change.object_id for change in changes])
        reasons = self.in_the_way(done, [change for change in changes if change.before])
        found = []
        for change in changes:
            item = now.get(change.object_id)
            if not _is_as_left(item, change, self.record_of(item) if item else None, self.derived):
                by = last_writer(target, change.object_id, field, done.pk)
                verb = "deleted" if item is None else "changed"
                found.append(Conflict(change.label, self.label, f"{by or 'somebody'} has {verb} it since", by))
            elif change.object_id in reasons:
                found.append(Conflict(change.label, self.label, reasons[change.object_id]))
        return found[:MOST_CONFLICTS]

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Make, change and delete objects as the changes say."""
        changes = list(inverse.changes.filter(target=target, field=field))
        self.objects.filter(pk__in=[one.object_id for one in changes if one.after is None]).delete()
        there = self.objects.in_bulk([one.object_id for one in changes if one.after])
        fresh: list[models.Model] = []
        changed: list[models.Model] = []
        names: set[str] = set()
        for change in changes:
            if not change.after:
                continue
            item = there.get(change.object_id) or self.objects.model(pk=change.object_id)
            for name, value in change.after.items():
                setattr(item, name, value)
            (changed if change.object_id in there else fresh).append(item)
            names |= change.after.keys()
        self.objects.bulk_create(fresh, batch_size=_AT_ONCE)
        if changed:
            self.objects.bulk_update(changed, sorted(names), batch_size=_AT_ONCE)
        self.after_write(changes)


def _is_as_left(
    item: models.Model | None, change: Change, record: Mapping[str, Any] | None, derived: frozenset[str]
) -> bool:
    """Return whether an object has what a change left it with; fields that came later to its kind do not count."""
    if item is None or change.after is None or record is None:
        return item is None and change.after is None
    return all(record.get(name) == value for name, value in change.after.items() if name not in derived)
