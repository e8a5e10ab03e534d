"""The one writer of changes: whoever changes something that can be undone does it within `record`."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.changes.models import Change, ChangeSet
from indexa.changes.signals import objects_changed

Operation = Change.Operation
_AT_ONCE = 2_000


class Recorder:
    """Collects the changes of one change set. What statements write into the table `change` themselves is told by `touch`."""

    def __init__(self, change_set: ChangeSet) -> None:
        self.change_set = change_set
        self._waiting: list[Change] = []
        self._ids: dict[str, list[int]] = defaultdict(list)
        self._records: dict[tuple[str, int, str], Change] = {}

    def update(self, target: str, object_id: int, label: str, field: str, before: Any, after: Any) -> None:
        """Note that a field of an object has another value now.

        What is noted of a record that was noted already joins it: a change set tells what each object was and is.
        """
        noted = self._records.get((target, object_id, field))
        if noted is not None and isinstance(noted.after, dict):
            noted.after = noted.after | after
            if noted.before is not None:
                noted.before = before | noted.before
            return
        self._note(Operation.UPDATE, target, object_id, label, field, before, after)

    def create(self, target: str, object_id: int, label: str, field: str, after: Any) -> None:
        """Note an object that was not there before; `after` is its record, from which it can be made again."""
        self._note(Operation.CREATE, target, object_id, label, field, None, after)

    def delete(self, target: str, object_id: int, label: str, field: str, before: Any) -> None:
        """Note an object that is no longer there; `before` is its record, from which it can be made again."""
        self._note(Operation.DELETE, target, object_id, label, field, before, None)

    def touch(self, target: str, ids: Iterable[int]) -> None:
        """Note objects whose changes a statement wrote down."""
        self._ids[target].extend(ids)

    def _note(
        self, operation: Operation, target: str, object_id: int, label: str, field: str, before: Any, after: Any
    ) -> None:
        self._ids[target].extend([object_id] if object_id else [])
        change = Change(
            change_set=self.change_set, operation=operation, target=target, object_id=object_id, label=label, field=field,
            before=before, after=after,
        )  # fmt: skip
        self._waiting.append(change)
        if isinstance(after, dict):
            self._records[target, object_id, field] = change

    def made(self, target: str) -> list[Change]:
        """Return the objects of a kind that are noted as new."""
        return [one for one in self._waiting if one.target == target and one.operation == Operation.CREATE]

    @property
    def is_empty(self) -> bool:
        """True as long as nothing was changed."""
        return not self._waiting and not any(self._ids.values())

    def finish(self) -> None:
        """Write down what was collected, and tell everybody who wants to know."""
        Change.objects.bulk_create(self._waiting, batch_size=_AT_ONCE)
        self._waiting, self._records = [], {}
        ids = {target: found for target, found in self._ids.items() if found}
        if ids:
            objects_changed.send(ChangeSet, change_set=self.change_set, ids=ids)


@contextmanager
def record(
    *,
    area: Area,
    person: Person | None,
    why: str = "",
    model_id: int | None = None,
    kind: ChangeSet.Kind = ChangeSet.Kind.EDIT,
    **others: Any,
) -> Iterator[Recorder]:
    """Open a change set within a transaction; one in which nothing was changed is not kept.

    `others` are further fields of the change set.
    """
    with transaction.atomic():
        change_set = ChangeSet.objects.create(area=area, person=person, why=why, model_id=model_id, kind=kind, **others)
        recorder = Recorder(change_set)
        yield recorder
        if recorder.is_empty and kind == ChangeSet.Kind.EDIT:
            change_set.delete()
        else:
            recorder.finish()
