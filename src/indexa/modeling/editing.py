"""Editing business names and definitions: each edit a change set.

An edit names the value its writer saw. Where somebody else has saved another one in between,
nothing is written and the error carries both, so that a person decides.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from django.db import connection, transaction
from django.db.models import Q

from indexa.areas.models import Area, Person
from indexa.changes.models import Change, ChangeSet
from indexa.changes.recording import Recorder, record
from indexa.store.errors import EditError, StaleEditError
from indexa.store.locks import try_for_editing
from indexa.store.models import StoredColumn, StoredTable

FIELDS = {"business_name": "Business name", "definition": "Definition"}
LIMITS = {"business_name": 200, "definition": 20_000}


@dataclass(frozen=True, slots=True)
class Place:
    """Where a word is kept: an attribute or column, an entity or table."""

    target: str
    object_id: int


def place_of(item: StoredColumn | StoredTable, *, only_here: bool) -> Place:
    """Return where an edit of item goes: up to what it implements, unless it is meant for this place alone."""
    if isinstance(item, StoredColumn):
        return Place("column", item.pk if only_here or not item.attribute_id else item.attribute_id)
    return Place("table", item.pk if only_here or not item.entity_id else item.entity_id)


@transaction.atomic
def edit(
    *, area: Area, person: Person, place: Place, field: str, seen: str, value: str, why: str = ""
) -> ChangeSet | None:
    """Set a business name or definition; returns None where nothing changes.

    Raises StaleEditError if the stored value is no longer the one seen, EditError for a value that
    can't be kept.
    """
    value = checked(field, value)
    item = _locked(area, place)
    current: str = getattr(item, field)
    if current == value:
        return None
    if current != seen.replace("\r\n", "\n"):
        raise StaleEditError(theirs=current, yours=value, by=_last_writer(place, field))
    with record(area=area, person=person, why=why, model_id=_model_id(item)) as changes:
        label = f"{item.table.full_name}.{item.name}" if isinstance(item, StoredColumn) else item.full_name
        changes.update(place.target, place.object_id, label, field, before=current, after=value)
        setattr(item, field, value)
        item.save(update_fields=[field])
    return changes.change_set


def write_many(
    *, area: Area, person: Person, model_id: int, why: str, field: str, values: Iterable[tuple[str, int, str, str]]
) -> ChangeSet | None:
    """Write a field of many tables and columns as one change set; returns None where nothing changes.

    `values` are target, id, the value that was seen, and the new one. What belongs to another area, or was changed since
    it was seen, is left as it is. Raises EditError while the model is being read.
    """
    if field not in FIELDS:
        raise EditError(f"“{field}” is no field that can be edited.")
    if not try_for_editing(model_id):
        raise EditError(
            "The model is being read again at this moment. Nothing was changed: try again in half a minute."
        )
    with record(area=area, person=person, why=why, model_id=model_id) as changes:
        write_into(changes, area=area, field=field, values=values)
    return None if changes.is_empty else changes.change_set


def write_into(changes: Recorder, *, area: Area, field: str, values: Iterable[tuple[str, int, str, str]]) -> int:
    """Write a field of many tables and columns within a change set; returns how many. `values` are those of `write_many`."""
    if field not in FIELDS:
        raise EditError(f"“{field}” is no field that can be edited.")
    wanted = [row for row in values if row[2] != row[3]]  # read before the COPY, which has the connection to itself
    count = 0
    with connection.cursor() as cursor:
        cursor.execute(
            "create temporary table wanted (target text, object_id bigint, seen text, value text) on commit drop"
        )
        with cursor.cursor.copy("copy wanted (target, object_id, seen, value) from stdin") as copy:
            for row in wanted:
                copy.write_row(row)
        cursor.execute("analyze wanted")
        for target, label, joined in (
            ("table", _TABLE_LABEL, "join model_table t on t.id = w.object_id"),
            (
                "column",
                f"{_TABLE_LABEL} || '.' || o.name",
                "join model_column o on o.id = w.object_id join model_table t on t.id = o.table_id",
            ),
        ):
            changed = "t" if target == "table" else "o"
            # What it shows may come from elsewhere; only a value of its own that differs from the one seen is a conflict.
            cursor.execute(
                f"insert into change (change_set_id, target, object_id, label, field, before, after) "
                f"select %s, w.target, w.object_id, {label}, %s, to_jsonb({changed}.{field}), to_jsonb(w.value) from wanted w {joined} "
                f"join model m on m.id = t.model_id where w.target = %s and m.area_id = %s "
                f"and {changed}.{field} in ('', w.seen) and {changed}.{field} <> w.value returning object_id",
                [changes.change_set.pk, field, target, area.pk],
            )
            touched = [row[0] for row in cursor.fetchall()]
            count += len(touched)
            changes.touch(target, touched)
            cursor.execute(
                f"update model_{target} o set {field} = c.after #>> '{{}}' from change c "
                "where c.change_set_id = %s and c.target = %s and c.field = %s and o.id = c.object_id",
                [changes.change_set.pk, target, field],
            )
        cursor.execute("drop table wanted")
    return count


_TABLE_LABEL = "case when t.schema = '' then t.name else t.schema || '.' || t.name end"


def history(
    places: list[Place], limit: int = 20, *, model_id: int | None = None, labels: Sequence[str] = ()
) -> list[Change]:
    """Return the latest changes of some places, newest first.

    What readings brought names no object: `labels` are the full names under which a source has it, in the model `model_id`.
    """
    wanted = Q(pk__in=[])
    for place in places:
        wanted |= Q(target=place.target, object_id=place.object_id)
    if labels:
        wanted |= Q(object_id=0, label__in=labels, change_set__model_id=model_id)
    return list(Change.objects.filter(wanted).select_related("change_set__person").order_by("-change_set_id")[:limit])


def checked(field: str, value: str) -> str:
    """Return a word as it is kept. Raises EditError for a field that is none and for one that is too long."""
    if field not in FIELDS:
        raise EditError(f"“{field}” is no field that can be edited.")
    value = value.replace("\r\n", "\n").replace("\x00", "").strip()
    if field == "business_name":
        value = " ".join(value.split())
    if len(value) > LIMITS[field]:
        raise EditError(f"{FIELDS[field]}: {len(value):,} characters are too many; {LIMITS[field]:,} are kept.")
    return value


def _locked(area: Area, place: Place) -> StoredColumn | StoredTable:
    """Lock what is edited. It must belong to the area: that is asked here, whatever the page sent."""
    found: StoredColumn | StoredTable | None
    if place.target == "column":
        found = (
            StoredColumn.objects.select_for_update(of=("self",))
            .select_related("table")
            .filter(pk=place.object_id, table__model__area=area)
            .first()
        )
    else:
        found = StoredTable.objects.select_for_update().filter(pk=place.object_id, model__area=area).first()
    if found is None:
        raise EditError("What you were editing is no longer there. Load the page again.")
    if not try_for_editing(_model_id(found)):
        raise EditError("The model is being read again at this moment. Your text is still here: save in half a minute.")
    return found


def _model_id(item: StoredColumn | StoredTable) -> int:
    return item.table.model_id if isinstance(item, StoredColumn) else item.model_id


def _last_writer(place: Place, field: str) -> str:
    last = (
        Change.objects.filter(target=place.target, object_id=place.object_id, field=field)
        .select_related("change_set__person")
        .order_by("-id")
        .first()
    )
    person = last.change_set.person if last else None
    return person.display_name if person else "Somebody"
