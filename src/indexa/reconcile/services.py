"""Reading again: what a later reading found is shown, decided and taken into the model; nothing is applied before that."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass

import msgspec
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.differences import with_required, without_dependent
from indexa.core.compare.matching import KnownRenames, similarity
from indexa.core.compare.merging import in_the_way
from indexa.core.compare.wording import kind_in_words
from indexa.core.model.translating import Name
from indexa.jobs.progress import Progress
from indexa.reconcile import drifting, readings
from indexa.reconcile.conflicts import (
    DEFINITION,
    GONE,
    NAME,
    REFERENCE,
    STRUCTURE,
    difference_row,
    mark_conflicts,
    structure_of,
)
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import DriftWatch, FoundDifference, Reconciliation
from indexa.sources.models import Intake
from indexa.sources.signals import ReadingResult
from indexa.store.models import StoredModel
from indexa.store.storing import read_snapshot

Decision = FoundDifference.Decision


def follow_reading(
    sender: object, *, intake: Intake, comparison: Comparison, scheduled: bool, **_: object
) -> ReadingResult | None:
    """Keep what a later reading found, as a receiver of `later_reading`."""
    reconciliation = keep_differences(intake, comparison, scheduled=scheduled)
    watched = DriftWatch.objects.filter(source=intake.source).select_related("source").first()
    drift = drifting.text_of(drifting.look(watched, intake)) if watched else ""
    if reconciliation is None:
        return _only_drift(intake, drift) if drift else None
    counts = Counter(one.kind for one in comparison.differences)
    text = ", ".join(f"{count:,} {kind_in_words(kind)}" for kind, count in counts.items())
    conflicts = reconciliation.differences.exclude(conflict="").count()
    more = f"\n{conflicts:,} of them touch what people changed in the model." if conflicts else ""
    name, area = intake.source.name, intake.source.area
    return ReadingResult(
        address=reverse("reconcile:page", args=[area.slug, reconciliation.pk]),
        subject=f"{name}: {len(comparison.differences):,} differences",
        text=f"{name} was read as planned and is not what the model says: {text}.{more}\n"
        "Nothing was applied; a steward decides." + (f"\n\n{drift}" if drift else ""),
    )


def _only_drift(intake: Intake, drift: str) -> ReadingResult:
    source = intake.source
    address = reverse("reconcile:drift", args=[source.area.slug, source.pk])
    return ReadingResult(
        address, f"{source.name}: drift", f"{source.name} was read as planned. It is as it was.\n\n{drift}"
    )


def keep_differences(intake: Intake, comparison: Comparison, *, scheduled: bool = False) -> Reconciliation | None:
    """Keep what a later reading found to be otherwise; None where nothing is. It replaces an older one that waits."""
    model = intake.model
    assert model is not None
    assert model.snapshot is not None
    waiting = Reconciliation.objects.filter(source=intake.source, state=Reconciliation.State.WAITING)
    replaced = waiting.order_by("-pk").first()
    waiting.update(state=Reconciliation.State.REPLACED, decided_at=timezone.now())
    if not comparison.differences:
        return None
    reconciliation = Reconciliation.objects.create(
        source=intake.source,
        model=model,
        intake=intake,
        before=model.snapshot,
        after=intake.snapshot,
        scheduled=scheduled,
    )
    if replaced is not None and (replaced.rejected_renames or replaced.paired_renames):
        reconciliation.rejected_renames = replaced.rejected_renames
        reconciliation.paired_renames = replaced.paired_renames
        reconciliation.save(update_fields=["rejected_renames", "paired_renames"])
        comparison = compare(comparison.before, comparison.after, replaced.rejected_renames, paired=_paired(replaced))
    _keep(reconciliation, comparison)
    return reconciliation


def _keep(reconciliation: Reconciliation, comparison: Comparison) -> None:
    """Write the differences down, with conflicts marked, and what was decided about the same ones before."""
    rows = [difference_row(number, one) for number, one in enumerate(comparison.differences)]
    mark_conflicts(rows, comparison, reconciliation.model)
    earlier = Reconciliation.objects.filter(source=reconciliation.source, pk__lt=reconciliation.pk)
    last = earlier.exclude(state=Reconciliation.State.DISCARDED).order_by("-pk").first()
    decided = {(one.identity, one.after, one.conflict): one.decision for one in last.differences.all()} if last else {}
    for row in rows:
        same = row.identity, row.after, row.conflict
        decision = decided.get(same, row.decision)
        if last and last.state == Reconciliation.State.APPLIED and decision == Decision.TAKE:
            continue  # it was applied and has come back: that is new
        row.decision, row.seen_before = decision, decision == Decision.LATER and same in decided
    for row in rows:
        row.reconciliation = reconciliation
    FoundDifference.objects.bulk_create(rows, batch_size=2_000)


def _open(area: Area, reconciliation_id: int) -> Reconciliation:
    found = Reconciliation.objects.select_for_update(of=("self",)).select_related("model", "source", "before", "after")
    reconciliation = found.filter(pk=reconciliation_id, source__area=area).first()
    if reconciliation is None:
        raise ReconciliationError("This reading is no longer there. Load the page again.")
    if reconciliation.state != Reconciliation.State.WAITING:
        raise ReconciliationError("This reading is decided, or a later one took its place. Load the page again.")
    return reconciliation


@transaction.atomic
def decide(*, area: Area, reconciliation_id: int, numbers: Collection[int], decision: str) -> int:
    """Decide some differences; what they require, or what can't be without them, follows. Returns how many changed."""
    reconciliation = _open(area, reconciliation_id)
    if decision not in Decision.values:
        raise ReconciliationError(f"“{decision}” is no decision.")
    rows = list(reconciliation.differences.all())
    chosen = {row.identity for row in rows if row.number in set(numbers)}
    differences = [row.as_core() for row in rows]
    later = decision == Decision.LATER
    follows = without_dependent(differences, chosen) if later else with_required(differences, chosen)
    changed = []
    for row in rows:
        wanted = decision if row.identity in chosen else (Decision.LATER if later else Decision.TAKE)
        if row.identity in follows and row.decision != wanted and (row.identity in chosen or not row.conflict or later):
            if wanted == Decision.KEEP and not row.conflict:
                continue
            row.decision = wanted
            changed.append(row)
    FoundDifference.objects.bulk_update(changed, ["decision"], batch_size=2_000)
    return len(changed)


@transaction.atomic
def reject_rename(*, area: Area, reconciliation_id: int, number: int) -> None:
    """Say that a rename is none: the old one is gone and the new one is new. All decisions but conflicts' stay."""
    reconciliation = _open(area, reconciliation_id)
    row = reconciliation.differences.filter(number=number, kind__in=["renamed", "moved"]).first()
    if row is None:
        raise ReconciliationError("Only what seems renamed or moved can be said to be two things.")
    paired = _paired(reconciliation)
    later = _later_name(_comparison(reconciliation), row)
    paired.tables = [pair for pair in paired.tables if row.what == "column" or pair[0] != (row.schema, row.table)]
    paired.columns = [pair for pair in paired.columns if row.what != "column" or pair[:2] != (later, row.name)]
    reconciliation.paired_renames = msgspec.to_builtins(paired)
    reconciliation.rejected_renames = [*reconciliation.rejected_renames, row.identity]
    _compare_again(reconciliation)


@transaction.atomic
def pair_rename(*, area: Area, reconciliation_id: int, gone: int, new: int) -> None:
    """Say that what seems gone and what seems new (numbers of their differences) is one thing under another name."""
    reconciliation = _open(area, reconciliation_id)
    old = reconciliation.differences.filter(number=gone, kind="gone").first()
    fresh = reconciliation.differences.filter(number=new, kind="new").first()
    if old is None or fresh is None or fresh not in partners(old):
        raise ReconciliationError(
            "Only a table can be matched with a new table, and a column with a new column of its table. Load the page again."
        )
    paired = _paired(reconciliation)
    if old.what == "column":
        paired.columns.append((_later_name(_comparison(reconciliation), old), old.name, fresh.name))
        identity = f"column:{old.full_table}:{old.name}.name"
    else:
        paired.tables.append(((old.schema, old.table), (fresh.schema, fresh.table)))
        identity = f"table:{old.full_table}.name"
    reconciliation.paired_renames = msgspec.to_builtins(paired)
    reconciliation.rejected_renames = [one for one in reconciliation.rejected_renames if one != identity]
    _compare_again(reconciliation)


def partners(row: FoundDifference) -> list[FoundDifference]:
    """Return what a gone table or column may be called now, or a new one may have been called; the likeliest first."""
    if row.kind not in ("gone", "new") or row.what not in ("table", "view", "column"):
        return []
    kind = "new" if row.kind == "gone" else "gone"
    found = FoundDifference.objects.filter(reconciliation=row.reconciliation_id, kind=kind, what=row.what)
    if row.what == "column":
        found = found.filter(schema=row.schema, table=row.table)
    value = row.before or row.after
    return sorted(
        found, key=lambda one: ((one.before or one.after) != value, -similarity(one.name, row.name), one.name)
    )


def _paired(reconciliation: Reconciliation) -> KnownRenames:
    return msgspec.convert(reconciliation.paired_renames or {}, KnownRenames)


def _later_name(comparison: Comparison, row: FoundDifference) -> Name:
    match = comparison.matches.by_before.get((row.schema, row.table))
    return (match.after.schema, match.after.name) if match else (row.schema, row.table)


def _compare_again(reconciliation: Reconciliation) -> None:
    """Find the differences anew under other renames; what was decided about those that are the same stays."""
    reconciliation.save(update_fields=["rejected_renames", "paired_renames"])
    decided = dict(reconciliation.differences.values_list("identity", "decision"))
    reconciliation.differences.all().delete()
    _keep(reconciliation, _comparison(reconciliation))
    changed = [
        one for one in reconciliation.differences.all() if decided.get(one.identity, one.decision) != one.decision
    ]
    for one in changed:
        one.decision = decided[one.identity]
    FoundDifference.objects.bulk_update(changed, ["decision"], batch_size=2_000)


def _comparison(reconciliation: Reconciliation) -> Comparison:
    return compare(
        read_snapshot(reconciliation.before),
        read_snapshot(reconciliation.after),
        reconciliation.rejected_renames,
        paired=_paired(reconciliation),
    )


@dataclass(frozen=True, slots=True)
class ApplyResult:
    """What applying a reading did."""

    change_set: ChangeSet
    taken: int
    left: int


@transaction.atomic
def apply(
    *, area: Area, person: Person | None, reconciliation_id: int, progress: Progress | None = None
) -> ApplyResult:
    """Take what is decided to be taken into the model, as one change set.

    Raises ReconciliationError where nothing is, or where the model went on since the reading.
    """
    reconciliation = _open(area, reconciliation_id)
    model = StoredModel.objects.select_related("logical").get(pk=reconciliation.model_id)
    if model.snapshot_id != reconciliation.before_id:
        raise ReconciliationError("The model was brought to another state since this reading. Read the source again.")
    rows = list(reconciliation.differences.all())
    taken = [row for row in rows if _is_taken(row)]
    if not taken:
        raise ReconciliationError("Nothing is chosen. Choose at least one difference, or discard the reading.")
    comparison = _comparison(reconciliation)
    done = readings.apply_reading(
        area=area, person=person, physical=model, comparison=comparison, taken={row.identity for row in taken},
        why=f"Read again from {reconciliation.source.name}: {len(taken):,} of {len(rows):,} differences applied", progress=progress,
        give_way=_names_that_give_way(taken), words=[
            readings.Words(row.target, row.object_id, row.theirs)
            for row in taken if row.conflict == DEFINITION and row.decision == Decision.TAKE
        ],
        drop_relationships=_dropped(taken), structure=_structure(model, comparison, taken),
    )  # fmt: skip
    reconciliation.state, reconciliation.change_set = Reconciliation.State.APPLIED, done.change_set
    reconciliation.decided_by, reconciliation.decided_at = person, timezone.now()
    reconciliation.save()
    left = sum(row.decision == Decision.LATER for row in rows)
    if left:
        _continue(reconciliation)
    return ApplyResult(done.change_set, len(taken), left)


def _continue(applied: Reconciliation) -> None:
    """Keep what was left for later open: the same reading against the state that the model has now."""
    model = StoredModel.objects.select_related("snapshot").get(pk=applied.model_id)
    assert model.snapshot is not None
    continuation = Reconciliation.objects.create(
        source=applied.source,
        model=model,
        continues=applied,
        before=model.snapshot,
        after=applied.after,
        rejected_renames=applied.rejected_renames,
        paired_renames=applied.paired_renames,
        scheduled=applied.scheduled,
    )
    _keep(continuation, _comparison(continuation))
    still_open = continuation.differences.exclude(decision=Decision.KEEP)
    still_open.update(decision=Decision.LATER, seen_before=True)
    if not still_open.exists():
        continuation.delete()


def _is_taken(row: FoundDifference) -> bool:
    """Say whether the source's side of a difference goes into the model.

    Where a person keeps an own name, definition or structure, the source's is noted beside it all the same; where something
    gone is kept for its name, it is not taken.
    """
    if row.decision == Decision.KEEP:
        return row.conflict in (NAME, DEFINITION, REFERENCE, STRUCTURE)
    return row.decision == Decision.TAKE


def _names_that_give_way(taken: Sequence[FoundDifference]) -> list[tuple[str, int]]:
    return [
        (row.target, row.object_id) for row in taken if row.conflict in (NAME, GONE) and row.decision == Decision.TAKE
    ]


def _structure(
    model: StoredModel, comparison: Comparison, taken: Sequence[FoundDifference]
) -> readings.StructureDecisions:
    """Return what was decided where people and source both changed the structure."""
    decided = readings.StructureDecisions()
    rows = [row for row in taken if row.conflict == STRUCTURE]
    own = structure_of(model, comparison) if rows else {}
    for row in rows:
        if row.decision == Decision.KEEP:
            decided.kept.add(row.identity)
        else:
            decided.give_way |= {one.id for one in in_the_way(row.as_core(), own)}
    return decided


def _dropped(taken: Sequence[FoundDifference]) -> list[int]:
    """Return asserted relationships for which the source declares another target, where that was decided."""
    return [row.object_id for row in taken if row.conflict == REFERENCE and row.decision == Decision.TAKE]


@transaction.atomic
def discard(*, area: Area, person: Person, reconciliation_id: int) -> None:
    """Leave the model as it is; the next reading finds the same differences again."""
    reconciliation = _open(area, reconciliation_id)
    reconciliation.state, reconciliation.decided_by, reconciliation.decided_at = (
        Reconciliation.State.DISCARDED,
        person,
        timezone.now(),
    )
    reconciliation.save()
