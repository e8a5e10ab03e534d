"""The kinds of objects that this app changes, and what undo has to know of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import msgspec
from django.db import connection

from indexa.changes.errors import Conflict
from indexa.changes.models import Change, ChangeSet
from indexa.changes.targets import (
    MOST_CONFLICTS,
    FieldHandler,
    PlainField,
    TargetKind,
    register,
    register_guard,
)
from indexa.modeling.renaming import OWN_NAME, TARGETS, names_taken, write_names
from indexa.store import assertions
from indexa.store.assertions import Assertion
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing
from indexa.store.models import DetachedConstraint, StoredColumn, StoredTable


@dataclass(frozen=True)
class NameField:
    """The name of an object: the source's own is kept beside it, and no two of one place have the same."""

    label: str = "Name"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return the objects that were renamed again, and those whose earlier name something else has by now."""
        found = PlainField(self.label, f"model_{target}", "name").conflicts(done, target, field)
        taken = names_taken(done, target)
        return found + [
            Conflict(label, self.label, f"it can't have “{name}” back, since something else has it now")
            for label, name in taken
        ]

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Write the names of a change set."""
        with connection.cursor() as cursor:
            write_names(cursor, target, inverse)


@dataclass(frozen=True)
class OwnNameField:
    """A name given by a person that gave way to the source's when a reading was taken."""

    label: str = "Name"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Nothing: the state of the source, which it hangs on, was looked at as a whole."""
        return []

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Give names back that had given way; or, where that is redone, let them give way again."""
        how = TARGETS[target].parks.replace("v.after", "c.after #>> '{}'")
        name = "c.after #>> '{}'" + how
        if inverse.kind == ChangeSet.Kind.REDO:
            name = "coalesce(nullif(o.source_name, ''), o.name), source_name = ''"
        with connection.cursor() as cursor:
            cursor.execute(
                f"update model_{target} o set name = {name} from change c "
                "where c.change_set_id = %s and c.target = %s and c.field = %s and o.id = c.object_id and o.name <> c.after #>> '{}'",
                [inverse.pk, target, field],
            )


@dataclass(frozen=True)
class AssertedField:
    """A key or relationship that a person asserted, as a whole."""

    label: str = "Assertion"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return what can't be put back, since a table or column of it is no longer there."""
        removed = list(done.changes.filter(target=target, field=field, operation=Change.Operation.DELETE))
        found = []
        for change, one in ((change, _assertion(change.before)) for change in removed[:MOST_CONFLICTS]):
            tables = {id_ for id_ in (one.table, one.ref_table) if id_}
            columns = {*one.columns, *one.ref_columns}
            alive = {"removed_at__isnull": True}
            if (
                StoredTable.objects.filter(pk__in=tables, **alive).count() < len(tables)
                or StoredColumn.objects.filter(pk__in=columns, **alive).count() < len(columns)
            ):  # fmt: skip
                found.append(Conflict(change.label, self.label, "a table or column of it is no longer there"))
        return found

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Take out what the inverse deletes, and put back what it creates."""
        changes = list(inverse.changes.filter(target=target, field=field))
        removed = [
            (one.object_id, _assertion(one.before)) for one in changes if one.operation == Change.Operation.DELETE
        ]
        made = [(one.object_id, _assertion(one.after)) for one in changes if one.operation == Change.Operation.CREATE]
        if removed:
            assertions.remove(target, removed)
        there = (
            set(DetachedConstraint.objects.filter(target=target).values_list("object_id", flat=True)) if made else set()
        )
        if made := [(id_, one) for id_, one in made if id_ not in there]:
            assertions.restore(made)


def _assertion(record: Any) -> Assertion:
    return msgspec.convert(record, Assertion)


def _words(table: str) -> dict[str, FieldHandler]:
    return {
        "business_name": PlainField("Business name", table, "business_name"),
        "definition": PlainField("Definition", table, "definition"),
        "name": NameField(),
        OWN_NAME: OwnNameField(),
    }


def _check_lock(done: ChangeSet) -> None:
    """Keep undo out while the model is being read; a reading itself waits for its turn."""
    if done.before_snapshot_id is None and done.model_id is not None and not try_for_editing(done.model_id):
        raise EditError("The model is being read again at this moment. Undo in half a minute.")


_FIELDS: dict[str, tuple[str, Mapping[str, FieldHandler]]] = {
    "table": ("Table", _words("model_table") | {"table_role": PlainField("Role", "model_table", "table_role")}),
    "column": (
        "Column",
        _words("model_column")
        | {"migrated_from_id": PlainField("Origin", "model_column", "migrated_from_id", type="bigint")},
    ),
    "key": ("Key", {"name": NameField(), "asserted": AssertedField()}),
    "relationship": ("Relationship", {"name": NameField(), "asserted": AssertedField()}),
    "index": ("Index", {"name": NameField()}),
    "check": ("Check", {"name": NameField()}),
    "object": ("Sequence", {"name": NameField()}),
}
for _name, (_label, _handlers) in _FIELDS.items():
    register(TargetKind(_name, _label, _handlers))
register_guard(_check_lock)
