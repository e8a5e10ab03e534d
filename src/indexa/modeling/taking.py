"""Taking differences of a later reading into a model, as one change set, and taking that back."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

import msgspec
from django.db import connection, transaction
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.core.compare.applying import apply
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.differences import Difference
from indexa.core.compare.matching import KnownRenames
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress, Silent
from indexa.modeling.errors import EditError
from indexa.modeling.following import refresh_rows
from indexa.modeling.locks import hold_for_storing
from indexa.modeling.models import Change, ChangeSet, StoredColumn, StoredModel, StoredTable
from indexa.modeling.signals import brought_to_another_state
from indexa.modeling.storing import describe, keep_snapshot, read_snapshot
from indexa.modeling.updating import Counts, update

LARGE = 3_000
"""From this many differences on, taking a reading and taking it back are jobs."""
OWN_NAME = "own name"
"""Field of a change in which a person's name of a table or column gave way to the source's."""
_TARGETS = {
    "table": "table", "view": "table", "column": "column", "foreign key": "relationship", "index": "index", "check": "check",
    "primary key": "key", "unique key": "key", "exclusion": "key", "trigger": "table",
}  # fmt: skip


class Taken(msgspec.Struct):
    """What taking did."""

    change_set: ChangeSet
    counts: Counts


class Words(msgspec.Struct):
    """A definition that gives way to what the source says: where it is kept, and the new text."""

    target: str
    id: int
    text: str


@transaction.atomic
def take(
    *,
    area: Area,
    person: Person | None,
    physical: StoredModel,
    comparison: Comparison,
    taken: Collection[str],
    why: str,
    progress: Progress | None = None,
    give_way: Sequence[tuple[str, int]] = (),
    words: Sequence[Words] = (),
) -> Taken:
    """Bring a model to the state that the taken differences make; `comparison` must begin at the state the model is in.

    `give_way` are tables and columns (target, id) whose name, given by a person, gives way to the source's; `words` are
    definitions that give way to the source's comment. Raises EditError if the model was brought to another state since.
    """
    hold_for_storing(physical.pk)
    before_id = StoredModel.objects.values_list("snapshot_id", flat=True).get(pk=physical.pk)
    if before_id != physical.snapshot_id:
        raise EditError("Another reading was taken into this model in between. Look at the differences again.")
    applied = apply(comparison, taken)
    snapshot = keep_snapshot(applied.model)
    change_set = ChangeSet.objects.create(
        area=area, model=physical, kind=ChangeSet.Kind.INTAKE, person=person, why=why, before_snapshot_id=before_id,
        after_snapshot=snapshot, renames=msgspec.to_builtins(applied.renames()),
    )  # fmt: skip
    chosen = [one for one in comparison.differences if one.id in set(taken)]
    _give_way(change_set, give_way)
    counts = update(physical, comparison, applied, progress or Silent(), objects=any(not one.table for one in chosen))
    _write_words(change_set, words)
    describe(physical, applied.model)
    physical.snapshot = snapshot
    physical.save()
    _tell(change_set, chosen)
    brought_to_another_state.send(StoredModel, model=physical, person=person)
    return Taken(change_set, counts)


def _tell(change_set: ChangeSet, chosen: Sequence[Difference]) -> None:
    """Write down each difference as a change, for the history."""
    Change.objects.bulk_create(
        (
            Change(
                change_set=change_set, target=_TARGETS.get(one.what, "object"), object_id=0, label=_label(one),
                field=(one.field or one.kind)[:20], before=one.before, after=one.after,
            )
            for one in chosen
        ),
        batch_size=2_000,
    )  # fmt: skip


def _label(one: Difference) -> str:
    """Word what a difference is about: a table, or something of a table."""
    if one.what in ("table", "view"):
        return one.full_table
    if one.table:
        return f"{one.full_table}.{one.name}" if one.name else f"{one.full_table}, {one.what}"
    return f"{one.what} {one.schema}.{one.name}" if one.schema else f"{one.what} {one.name}"


def _give_way(change_set: ChangeSet, places: Sequence[tuple[str, int]]) -> None:
    for target, stored in (("table", StoredTable), ("column", StoredColumn)):
        ids = [id_ for one, id_ in places if one == target]
        found: Any = stored._default_manager.filter(pk__in=ids).exclude(read_as="")
        Change.objects.bulk_create(
            Change(
                change_set=change_set, target=target, object_id=one.pk, label=one.name, field=OWN_NAME, before=one.name, after=one.read_as
            )
            for one in found
        )  # fmt: skip
        with connection.cursor() as cursor:
            cursor.execute(
                f"update model_{target} set name = read_as, read_as = '' where id = any(%s) and read_as <> ''", [ids]
            )


def _write_words(change_set: ChangeSet, words: Sequence[Words]) -> None:
    changed: dict[str, list[int]] = {}
    for one in words:
        stored: Any = StoredTable if one.target == "table" else StoredColumn
        item = stored.objects.filter(pk=one.id).first()
        if item is None or item.definition == one.text:
            continue
        label = item.full_name if one.target == "table" else f"{item.table.full_name}.{item.name}"
        Change.objects.create(
            change_set=change_set, target=one.target, object_id=one.id, label=label, field="definition", before=item.definition,
            after=one.text,
        )  # fmt: skip
        item.definition = one.text
        item.save(update_fields=["definition"])
        changed.setdefault(one.target, []).append(one.id)
    refresh_rows(changed, change_set)


@transaction.atomic
def take_back(*, area: Area, person: Person, change_set: ChangeSet) -> ChangeSet:
    """Undo what a reading brought. Raises EditError if the model was brought to yet another state since."""
    physical = StoredModel.objects.select_related("logical", "snapshot").get(change_sets=change_set)
    hold_for_storing(physical.pk)
    physical.refresh_from_db(fields=["snapshot"])
    if physical.snapshot_id != change_set.after_snapshot_id or change_set.before_snapshot is None:
        raise EditError("Not undone: a later reading was taken into this model since. Undo that one first.")
    assert physical.snapshot is not None
    now, then = read_snapshot(physical.snapshot), read_snapshot(change_set.before_snapshot)
    renames = msgspec.convert(change_set.renames or {}, KnownRenames).reversed()
    comparison = compare(now, then, renames=renames)
    applied = apply(comparison, {one.id for one in comparison.differences})
    inverse = ChangeSet.objects.create(
        area=area, model=physical, kind=ChangeSet.Kind.UNDO, person=person, undoes=change_set,
        before_snapshot=physical.snapshot, after_snapshot=change_set.before_snapshot,
        renames=msgspec.to_builtins(applied.renames()),
    )  # fmt: skip
    update(physical, comparison, applied, Silent(), objects=any(not one.table for one in comparison.differences))
    physical.snapshot = change_set.before_snapshot
    describe(physical, then)
    physical.save()
    _names_again(change_set)
    _let_go_of_arrivals(physical, change_set)
    _tell(inverse, comparison.differences)
    brought_to_another_state.send(StoredModel, model=physical, person=person)
    return inverse


def is_large(change_set: ChangeSet) -> bool:
    """Say whether taking a change set back is work for a job: what a reading brought to a great many tables."""
    return change_set.before_snapshot_id is not None and change_set.changes.count() > LARGE


def take_back_in_background(job: Job, progress: Progress) -> str:
    """Undo a change set that is large. Returns the address of the model's history."""
    from indexa.modeling import editing

    assert job.started_by is not None
    progress.tell("Taking a reading back")
    try:
        undone = editing.undo(area=job.area, person=job.started_by, change_set_id=job.arguments["change_set"])
    except EditError as error:
        raise JobFailedError(str(error)) from error
    return reverse("modeling:history", args=[job.area.slug, undone.model_id])


def _names_again(change_set: ChangeSet) -> None:
    """Give back the names that a person had given and that had given way."""
    for target in ("table", "column"):
        with connection.cursor() as cursor:
            cursor.execute(
                f"update model_{target} o set read_as = o.name, name = c.before from change c "
                "where c.change_set_id = %s and c.target = %s and c.field = %s and o.id = c.object_id and o.name <> c.before",
                [change_set.pk, target, OWN_NAME],
            )


def _let_go_of_arrivals(physical: StoredModel, change_set: ChangeSet) -> None:
    """Take out what the undone reading had brought and nobody has written a word about."""
    from indexa.modeling.gone import let_go

    tables = StoredTable.objects.filter(
        model=physical, gone_since__isnull=False, business_name="", definition="", part=""
    )
    columns = StoredColumn.objects.filter(
        table__model=physical, gone_since__isnull=False, business_name="", definition=""
    )
    arrived = set(
        change_set.changes.filter(field="new", target__in=["table", "column"]).values_list("label", flat=True)
    )
    let_go(
        physical,
        table_ids=[one.pk for one in tables if one.full_name in arrived],
        column_ids=[
            one.pk for one in columns.select_related("table") if f"{one.table.full_name}.{one.name}" in arrived
        ],
        only_wordless=True,
    )
