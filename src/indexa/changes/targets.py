"""Kinds of objects that changes are made to: each app registers its own in a module `change_targets`.

A kind has fields, each with a handler that says what is in the way of writing a change back, and writes all changes of a set
to that field at once. Nothing here knows which kinds there are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Protocol

from django.db import connection

from indexa.changes.errors import Conflict
from indexa.changes.models import Change, ChangeSet

MOST_CONFLICTS = 200
"""Conflicts that are listed; further ones are not looked for."""


class FieldHandler(Protocol):
    """What undo and redo need to know of a field of one kind of object."""

    @property
    def label(self) -> str:
        """What people call it."""

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return what is in the way of giving the objects of a change set back what they had before it."""

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Write what each change of a set has in `after`."""


@dataclass(frozen=True)
class TargetKind:
    """A kind of object: its name in changes, what people call it, and its fields."""

    name: str
    label: str
    fields: Mapping[str, FieldHandler]


_kinds: dict[str, TargetKind] = {}
_added: dict[tuple[str, str], FieldHandler] = {}
_guards: list[Callable[[ChangeSet], None]] = []
_states: list[Callable[[ChangeSet, ChangeSet], None]] = []


def register(kind: TargetKind) -> None:
    """Make a kind known. Raises ValueError for a name that is taken by another."""
    if _kinds.setdefault(kind.name, kind) != kind:
        raise ValueError(f"There is another kind of object called {kind.name!r}.")


def add_field(kind: str, field: str, handler: FieldHandler) -> None:
    """Give a kind of another app a field, whichever of the two is registered first."""
    _added[kind, field] = handler


def register_guard(guard: Callable[[ChangeSet], None]) -> None:
    """Have a function asked before a change set is undone; it raises ChangeError where that can't be now."""
    if guard not in _guards:
        _guards.append(guard)


def register_state(revert: Callable[[ChangeSet, ChangeSet], None]) -> None:
    """Have a function bring back the state that a reading left behind, given the change set and its inverse."""
    if revert not in _states:
        _states.append(revert)


def kinds() -> Mapping[str, TargetKind]:
    """Return all kinds by name."""
    return _kinds


def guards() -> list[Callable[[ChangeSet], None]]:
    """Return what is asked before an undo."""
    return _guards


def states() -> list[Callable[[ChangeSet, ChangeSet], None]]:
    """Return what brings states back."""
    return _states


def handler_of(target: str, field: str) -> FieldHandler | None:
    """Return the handler of a field, None where changes of it are only told."""
    kind = _kinds.get(target)
    return (kind.fields.get(field) if kind else None) or _added.get((target, field))


def field_label(target: str, field: str) -> str:
    """Return what people call a field."""
    handler = handler_of(target, field)
    return handler.label if handler else field[:1].upper() + field[1:]


def last_writer(target: str, object_id: int, field: str, after: int) -> str:
    """Return who changed a field of an object later than a change set, "" where nobody did."""
    later = Change.objects.filter(target=target, object_id=object_id, field=field, change_set_id__gt=after)
    last = later.select_related("change_set__person").order_by("-id").first()
    if last is None:
        return ""
    return last.change_set.person.display_name if last.change_set.person else "a reading"


@dataclass(frozen=True)
class PlainField:
    """A column of a table of ours, read and written by one statement for any number of objects."""

    label: str
    table: str
    column: str
    type: str = "text"
    also: str = ""
    """What else is set with it: the rest of a SET clause, where `c.after` is the new value as JSON."""

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return the objects that are gone or have another value by now."""
        with connection.cursor() as cursor:
            cursor.execute(
                f"select c.object_id, c.label, o.id is null, o.{self.column}::text from change c "  # noqa: S608  constants
                f"left join {self.table} o on o.id = c.object_id "
                "where c.change_set_id = %s and c.target = %s and c.field = %s and c.object_id > 0 "
                f"and (o.id is null or to_jsonb(o.{self.column}) is distinct from c.after) order by c.id limit %s",
                [done.pk, target, field, MOST_CONFLICTS],
            )
            found = cursor.fetchall()
        return [self._conflict(done, target, field, *row) for row in found]

    def _conflict(
        self, done: ChangeSet, target: str, field: str, object_id: int, label: str, gone: bool, value: str | None
    ) -> Conflict:
        if gone:
            return Conflict(label, self.label, "it is no longer there")
        by = last_writer(target, object_id, field, done.pk)
        shown = f"“{value[:80]}{'…' if len(value) > 80 else ''}”" if value else "nothing"
        return Conflict(label, self.label, f"{by or 'somebody'} has changed it since, to {shown}", by)

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Write the values of a change set."""
        value = "c.after #>> '{}'"
        value = f"coalesce({value}, '')" if self.type == "text" else f"({value})::{self.type}"
        with connection.cursor() as cursor:
            cursor.execute(
                f"update {self.table} o set {self.column} = {value}{self.also} from change c "  # noqa: S608  constants
                "where c.change_set_id = %s and c.target = %s and c.field = %s and o.id = c.object_id",
                [inverse.pk, target, field],
            )
