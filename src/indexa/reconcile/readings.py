"""Taking differences of a later reading into a model, as one change set, and taking that back."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

import msgspec
from django.db import connection, transaction

from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.changes.recording import Recorder, record
from indexa.core.compare.applying import Applied, apply
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.differences import Difference
from indexa.core.compare.matching import KnownRenames
from indexa.core.compare.merging import merge
from indexa.jobs.progress import Progress, Silent
from indexa.modeling.renaming import OWN_NAME
from indexa.reconcile.models import Reconciliation
from indexa.store.assertions import take_out
from indexa.store.errors import EditError
from indexa.store.loading import load_model
from indexa.store.locks import hold_for_storing
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.store.signals import brought_to_another_state
from indexa.store.storing import describe, keep_snapshot, read_snapshot
from indexa.store.updating import Counts, update

_TARGETS = {
    "table": "table", "view": "table", "column": "column", "foreign key": "relationship", "index": "index", "check": "check",
    "primary key": "key", "unique key": "key", "exclusion": "key", "trigger": "table",
}  # fmt: skip


class AppliedReading(msgspec.Struct):
    """What taking did."""

    change_set: ChangeSet
    counts: Counts


class StructureDecisions(msgspec.Struct):
    """What was decided where source and people both changed the structure: ids of differences."""

    give_way: set[str] = msgspec.field(default_factory=set)
    """People's changes that the source's replace."""
    kept: set[str] = msgspec.field(default_factory=set)
    """Changes of the source that the model does not follow."""


class Words(msgspec.Struct):
    """A definition that gives way to what the source says: where it is kept, and the new text."""

    target: str
    id: int
    text: str


@transaction.atomic
def apply_reading(
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
    drop_relationships: Sequence[int] = (),
    structure: StructureDecisions | None = None,
) -> AppliedReading:
    """Bring a model to the state that the taken differences make; `comparison` must begin at its last reading.

    What people changed in the model since stays, but for what `structure` says. `give_way` are tables and columns (target,
    id) whose name, given by a person, gives way to the source's; `words` are definitions that give way to its comment.
    Raises EditError if the model was brought to another state since.
    """
    hold_for_storing(physical.pk)
    before_id = StoredModel.objects.values_list("snapshot_id", flat=True).get(pk=physical.pk)
    if before_id != physical.snapshot_id:
        raise EditError("Another reading was applied to this model in between. Look at the differences again.")
    applied = apply(comparison, taken)
    snapshot = keep_snapshot(applied.model)
    with record(
        area=area, person=person, why=why, model_id=physical.pk, kind=ChangeSet.Kind.INTAKE, before_snapshot_id=before_id,
        after_snapshot=snapshot, renames=msgspec.to_builtins(applied.renames()),
    ) as changes:  # fmt: skip
        chosen = [one for one in comparison.differences if one.id in set(taken)]
        _give_way(changes, give_way)
        objects = any(not one.table for one in chosen)
        counts = _update(physical, comparison, applied, progress or Silent(), objects=objects, structure=structure)
        _write_words(changes, words)
        describe(physical, applied.model)
        physical.snapshot = snapshot
        physical.save()
        _note(changes, chosen)
        if drop_relationships:
            take_out(changes, drop_relationships)
    brought_to_another_state.send(StoredModel, model=physical, person=person)
    return AppliedReading(changes.change_set, counts)


def _update(
    physical: StoredModel,
    comparison: Comparison,
    applied: Applied,
    progress: Progress,
    *,
    objects: bool,
    structure: StructureDecisions | None = None,
) -> Counts:
    """Bring the store to the applied state of the source, with what people changed in the model since its last reading."""
    if not physical.changed_by_hand:
        return update(physical, comparison, applied, progress, objects=objects)
    decided = structure or StructureDecisions()
    model = load_model(physical, as_source=True)
    merged = merge(comparison.before, model, applied.model, applied.renames(), decided.give_way, decided.kept)
    return update(physical, merged.comparison, merged.applied, progress, objects=objects)


def _note(changes: Recorder, chosen: Sequence[Difference]) -> None:
    """Write down each difference as a change, for the history."""
    for one in chosen:
        field = (one.field or one.kind)[:20]
        changes.update(_TARGETS.get(one.what, "object"), 0, _label(one), field, one.before, one.after)


def _label(one: Difference) -> str:
    """Word what a difference is about: a table, or something of a table."""
    if one.what in ("table", "view"):
        return one.full_table
    if one.table:
        name = one.after if one.what == "column" and one.kind == "renamed" else one.name
        return f"{one.full_table}.{name}" if one.name else f"{one.full_table}, {one.what}"
    return f"{one.what} {one.schema}.{one.name}" if one.schema else f"{one.what} {one.name}"


def _give_way(changes: Recorder, places: Sequence[tuple[str, int]]) -> None:
    for target, stored in (("table", StoredTable), ("column", StoredColumn)):
        ids = [id_ for one, id_ in places if one == target]
        found: Any = stored._default_manager.filter(pk__in=ids).exclude(source_name="")
        for one in found:
            changes.update(target, one.pk, one.name, OWN_NAME, before=one.name, after=one.source_name)
        with connection.cursor() as cursor:
            cursor.execute(
                f"update model_{target} set name = source_name, source_name = '' where id = any(%s) and source_name <> ''",
                [ids],
            )


def _write_words(changes: Recorder, words: Sequence[Words]) -> None:
    for one in words:
        stored: Any = StoredTable if one.target == "table" else StoredColumn
        item = stored.objects.filter(pk=one.id).first()
        if item is None or item.definition == one.text:
            continue
        label = item.full_name if one.target == "table" else f"{item.table.full_name}.{item.name}"
        changes.update(one.target, one.id, label, "definition", before=item.definition, after=one.text)
        item.definition = one.text
        item.save(update_fields=["definition"])


def revert_state(last: ChangeSet, inverse: ChangeSet) -> None:
    """Bring the model to the state before a reading was taken into it, or before that was undone.

    Raises EditError if the model was brought to yet another state since.
    """
    physical = StoredModel.objects.select_related("logical", "snapshot").get(change_sets=last)
    hold_for_storing(physical.pk)
    physical.refresh_from_db(fields=["snapshot"])
    if physical.snapshot_id != last.after_snapshot_id or last.before_snapshot is None:
        raise EditError("Not undone: a later reading was applied to this model since. Undo that one first.")
    assert physical.snapshot is not None
    now, then = read_snapshot(physical.snapshot), read_snapshot(last.before_snapshot)
    renames = msgspec.convert(last.renames or {}, KnownRenames).reversed()
    comparison = compare(now, then, renames=renames)
    applied = apply(comparison, {one.id for one in comparison.differences})
    inverse.before_snapshot, inverse.after_snapshot = physical.snapshot, last.before_snapshot
    inverse.renames = msgspec.to_builtins(applied.renames())
    inverse.save(update_fields=["before_snapshot", "after_snapshot", "renames"])
    _update(physical, comparison, applied, Silent(), objects=any(not one.table for one in comparison.differences))
    physical.snapshot = last.before_snapshot
    describe(physical, then)
    physical.save()
    if last.kind != ChangeSet.Kind.UNDO:
        _let_go_of_arrivals(physical, last)
    changes = Recorder(inverse)
    _note(changes, comparison.differences)
    changes.finish()
    _open_again(last)
    brought_to_another_state.send(StoredModel, model=physical, person=inverse.person)


def _open_again(undone: ChangeSet) -> None:
    """Let what an undone reading found be decided again; close it where the undo is undone."""
    applied = undone
    while applied.undoes is not None:
        applied = applied.undoes
    reconciliation = Reconciliation.objects.filter(change_set=applied).first()
    if reconciliation is None:
        return
    waiting = Reconciliation.objects.filter(source_id=reconciliation.source_id, state=Reconciliation.State.WAITING)
    if undone.kind == ChangeSet.Kind.UNDO:
        waiting.filter(pk=reconciliation.pk).update(state=Reconciliation.State.APPLIED)
        return
    waiting.filter(continues=reconciliation).delete()
    if not waiting.exists():
        Reconciliation.objects.filter(pk=reconciliation.pk).update(state=Reconciliation.State.WAITING)


def _let_go_of_arrivals(physical: StoredModel, change_set: ChangeSet) -> None:
    """Take out what the undone reading had brought and nobody has written a word about."""
    from indexa.store.removed import purge

    tables = StoredTable.objects.filter(
        model=physical, removed_at__isnull=False, business_name="", definition="", table_role=""
    )
    columns = StoredColumn.objects.filter(
        table__model=physical, removed_at__isnull=False, business_name="", definition=""
    )
    arrived = set(
        change_set.changes.filter(field="new", target__in=["table", "column"]).values_list("label", flat=True)
    )
    purge(
        physical,
        table_ids=[one.pk for one in tables if one.full_name in arrived],
        column_ids=[
            one.pk for one in columns.select_related("table") if f"{one.table.full_name}.{one.name}" in arrived
        ],
        only_wordless=True,
    )
