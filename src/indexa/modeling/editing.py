"""Editing business names and definitions: each edit a change set, each undo another.

An edit names the value its writer saw. Where somebody else has saved another one in between,
nothing is written and the error carries both, so that a person decides.
"""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction
from django.db.models import Q

from indexa.areas.models import Area, Person
from indexa.dictionary import rows as dictionary_rows
from indexa.modeling.locks import try_for_editing
from indexa.modeling.models import Change, ChangeSet, StoredColumn, StoredTable

FIELDS = {"business_name": "Business name", "definition": "Definition"}
LIMITS = {"business_name": 200, "definition": 20_000}


class EditError(Exception):
    """An edit that can't be made; the text says why and what to do."""


class StaleEditError(EditError):
    """Somebody else saved the field first. Both values are kept on the error."""

    def __init__(self, *, theirs: str, yours: str, by: str) -> None:
        super().__init__(f"{by} saved another text while you were writing. Nothing of yours is lost: decide below.")
        self.theirs, self.yours, self.by = theirs, yours, by


@dataclass(frozen=True, slots=True)
class Place:
    """Where a word is kept: an attribute or column, an entity or table."""

    target: str
    object_id: int


def place_of(item: StoredColumn | StoredTable, *, only_here: bool) -> Place:
    """Return where an edit of item goes: up to what it realises, unless it is meant for this place alone."""
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
    value = _checked(field, value)
    item = _locked(area, place)
    current: str = getattr(item, field)
    if current == value:
        return None
    if current != seen.replace("\r\n", "\n"):
        raise StaleEditError(theirs=current, yours=value, by=_last_writer(place, field))
    change_set = ChangeSet.objects.create(
        area=area, model_id=_model_id(item), kind=ChangeSet.Kind.EDIT, person=person, why=why
    )
    _write(change_set, place, item, field, value)
    return change_set


@transaction.atomic
def undo(*, area: Area, person: Person, change_set_id: int | None = None) -> ChangeSet:
    """Undo one change set of this person, or their last one, by its inverse.

    Raises EditError if there is none, and StaleEditError if a field was changed again since.
    """
    candidates = ChangeSet.objects.filter(area=area, person=person, kind=ChangeSet.Kind.EDIT, undone_by__isnull=True)
    if change_set_id is not None:
        candidates = candidates.filter(pk=change_set_id)
    last = candidates.order_by("-id").first()
    if last is None:
        raise EditError("There is nothing of yours to undo here.")
    inverse = ChangeSet.objects.create(
        area=area, model_id=last.model_id, kind=ChangeSet.Kind.UNDO, person=person, undoes=last
    )
    for change in last.changes.order_by("-id"):
        place = Place(change.target, change.object_id)
        item = _locked(area, place)
        if getattr(item, change.field) != change.after:
            raise StaleEditError(
                theirs=getattr(item, change.field), yours=change.before, by=_last_writer(place, change.field)
            )
        _write(inverse, place, item, change.field, change.before)
    return inverse


def history(places: list[Place], limit: int = 20) -> list[Change]:
    """Return the latest changes of some places, newest first."""
    wanted = Q(pk__in=[])
    for place in places:
        wanted |= Q(target=place.target, object_id=place.object_id)
    return list(Change.objects.filter(wanted).select_related("change_set__person").order_by("-change_set_id")[:limit])


def _checked(field: str, value: str) -> str:
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


def _write(change_set: ChangeSet, place: Place, item: StoredColumn | StoredTable, field: str, value: str) -> None:
    label = f"{item.table.full_name}.{item.name}" if isinstance(item, StoredColumn) else item.full_name
    Change.objects.create(
        change_set=change_set,
        target=place.target,
        object_id=place.object_id,
        label=label,
        field=field,
        before=getattr(item, field),
        after=value,
    )
    setattr(item, field, value)
    item.save(update_fields=[field])
    if place.target == "column":
        dictionary_rows.refresh_columns([place.object_id])
    else:
        dictionary_rows.refresh_tables([place.object_id])


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
