"""Building models by hand: each change is one change set, undone as one; what it takes along can be asked before."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from typing import NamedTuple

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.building.key_names import follow_names
from indexa.building.loading import load_part
from indexa.building.saving import Saving
from indexa.changes.recording import Recorder, record
from indexa.core.building.consequences import consequences
from indexa.core.building.parts import BuildError, Part
from indexa.store.locks import try_for_editing
from indexa.store.models import Layer, StoredModel, StoredTable

LONGEST_MODEL_NAME = 120


class Built(NamedTuple):
    """What a change made: ids of new objects by those that they had in the part, and what else it took along, in words."""

    ids: dict[int, int]
    told: list[str]
    before: Part
    after: Part


@transaction.atomic
def create_model(*, area: Area, name: str, layer: str, platform: str = "") -> StoredModel:
    """Make an empty model. Raises BuildError for a name that is none or is taken."""
    name = " ".join(name.replace("\x00", "").split())
    if not name:
        raise BuildError("The model needs a name.")
    if len(name) > LONGEST_MODEL_NAME:
        raise BuildError(f"The name has {len(name)} characters; {LONGEST_MODEL_NAME} are kept.")
    if layer not in Layer.values:
        raise BuildError(f"“{layer}” is no layer of a model.")
    if StoredModel.objects.filter(area=area, layer=layer, name=name).exists():
        raise BuildError(f"There is a {layer} model {name} already. Take another name.")
    return StoredModel.objects.create(
        area=area, name=name, layer=layer, platform=platform if layer == Layer.PHYSICAL else ""
    )


@transaction.atomic
def change(
    *,
    area: Area,
    person: Person,
    model: StoredModel,
    tables: Iterable[int],
    why: str,
    work: Callable[[Part], object],
    also: Callable[[Recorder, dict[int, int]], None] | None = None,
    about: Collection[int] = (),
    alone: bool = False,
) -> Built:
    """Do something to a part of a model and save it. `also` writes into the same change set, given the new ids.

    `about` are the objects that it is about (the work may add to them): they are no consequence. `alone` says
    that the work reaches no key, so that no other tables are loaded. Raises BuildError where the part can't take it; then
    nothing is changed.
    """
    StoredModel.objects.select_for_update(of=("self",)).get(pk=model.pk)
    if not try_for_editing(model.pk):
        raise BuildError("The model is being read again at this moment. Try again in half a minute.")
    before = load_part(model, tables, alone=alone)
    after = before.copy()
    work(after)
    _refuse_taken(model, before, after)
    with record(area=area, person=person, why=why, model_id=model.pk) as changes:
        ids = Saving(changes, model, before, after).save()
        follow_names(changes, model, before, after)
        if model.snapshot_id and not model.changed_by_hand:
            model.changed_by_hand = True
            model.save(update_fields=["changed_by_hand"])
        if also is not None:
            also(changes, ids)
    return Built(ids, consequences(before, after, but=about), before, after)


def set_part(*, area: Area, person: Person, table: StoredTable, part: str) -> None:
    """Say which part a table plays, in words; "" for none in particular."""
    if table.table_role == part:
        return
    with record(
        area=area, person=person, model_id=table.model_id, why=f"{table.name} is {part or 'no special table'}"
    ) as changes:
        changes.update("table", table.pk, table.full_name, "table_role", table.table_role, part)
        StoredTable.objects.filter(pk=table.pk).update(table_role=part)
        table.table_role = part


def preview(
    *, model: StoredModel, tables: Iterable[int], work: Callable[[Part], object], about: frozenset[int]
) -> list[str]:
    """Return what a change would take along, in words, and change nothing. Raises BuildError as `change` does."""
    before = load_part(model, tables)
    after = before.copy()
    work(after)
    return consequences(before, after, but=about)


def _refuse_taken(model: StoredModel, before: Part, after: Part) -> None:
    """Refuse names that tables of the model beyond this part have."""
    fresh = {
        (table.schema, table.name.lower()): table.name
        for id_, table in after.tables.items()
        if id_ not in before.tables
        or (before.tables[id_].schema, before.tables[id_].name) != (table.schema, table.name)
    }
    if not fresh:
        return
    others = StoredTable.objects.filter(model=model, removed_at__isnull=True).exclude(pk__in=[*before.tables])
    for schema, name in others.values_list("schema", "name"):
        if (schema, name.lower()) in fresh:
            raise BuildError(f"There is a {name} already. Take another name, or use that one.")
