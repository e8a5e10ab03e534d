"""Reading again: what a later reading found is shown, decided and taken into the model; nothing is applied before that."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.differences import Difference, with_required, without_dependent
from indexa.jobs.progress import Progress
from indexa.modeling import taking
from indexa.modeling.models import StoredModel
from indexa.modeling.storing import read_snapshot
from indexa.sources.conflicts import DEFINITION, GONE, NAME, REFERENCE, difference_row, mark_conflicts
from indexa.sources.models import FoundDifference, Intake, Rereading

Decision = FoundDifference.Decision


class AgainError(Exception):
    """A decision about a later reading that can't be taken; the message says why and what to do."""


def note(intake: Intake, comparison: Comparison, *, scheduled: bool = False) -> Rereading | None:
    """Keep what a later reading found to be otherwise; None where nothing is. An older one that waits is put away."""
    model = intake.model
    assert model is not None
    assert model.snapshot is not None
    Rereading.objects.filter(source=intake.source, state=Rereading.State.WAITING).update(state=Rereading.State.PUT_AWAY)
    if not comparison.differences:
        return None
    rereading = Rereading.objects.create(
        source=intake.source,
        model=model,
        intake=intake,
        before=model.snapshot,
        after=intake.snapshot,
        scheduled=scheduled,
    )
    _keep(rereading, comparison)
    return rereading


def _keep(rereading: Rereading, comparison: Comparison) -> None:
    """Write the differences down, with conflicts marked and those that were seen before."""
    rows = [difference_row(number, one) for number, one in enumerate(comparison.differences)]
    mark_conflicts(rows, comparison, rereading.model)
    last = Rereading.objects.filter(source=rereading.source, pk__lt=rereading.pk).order_by("-pk").first()
    if last is not None:
        left = last.differences.filter(decision=Decision.LATER).values_list("identity", "after")
        seen = set(left) if last.state == Rereading.State.TAKEN else set()
        for row in rows:
            if (row.identity, row.after) in seen:
                row.seen_before, row.decision = True, Decision.LATER
    for row in rows:
        row.rereading = rereading
    FoundDifference.objects.bulk_create(rows, batch_size=2_000)


def _open(area: Area, rereading_id: int) -> Rereading:
    found = Rereading.objects.select_for_update(of=("self",)).select_related("model", "source", "before", "after")
    rereading = found.filter(pk=rereading_id, source__area=area).first()
    if rereading is None:
        raise AgainError("This reading is no longer there. Load the page again.")
    if rereading.state != Rereading.State.WAITING:
        raise AgainError("This reading is decided, or a later one took its place. Load the page again.")
    return rereading


@transaction.atomic
def decide(*, area: Area, rereading_id: int, numbers: Collection[int], decision: str) -> int:
    """Decide some differences; what they require, or what can't be without them, follows. Returns how many changed."""
    rereading = _open(area, rereading_id)
    if decision not in Decision.values:
        raise AgainError(f"“{decision}” is no decision.")
    rows = list(rereading.differences.all())
    chosen = {row.identity for row in rows if row.number in set(numbers)}
    differences = [_as_difference(row) for row in rows]
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


def _as_difference(row: FoundDifference) -> Difference:
    kind: Any = row.kind
    return Difference(id=row.identity, kind=kind, what=row.what, requires=tuple(row.requires))


@transaction.atomic
def set_apart(*, area: Area, rereading_id: int, number: int) -> None:
    """Say that a rename is none: the old one is gone and the new one is new. All decisions but conflicts' stay."""
    rereading = _open(area, rereading_id)
    row = rereading.differences.filter(number=number, kind__in=["renamed", "moved"]).first()
    if row is None:
        raise AgainError("Only what seems renamed or moved can be set apart.")
    rereading.apart = [*rereading.apart, row.identity]
    rereading.save(update_fields=["apart"])
    decided = dict(rereading.differences.values_list("identity", "decision"))
    rereading.differences.all().delete()
    comparison = _comparison(rereading)
    _keep(rereading, comparison)
    changed = [one for one in rereading.differences.all() if decided.get(one.identity, one.decision) != one.decision]
    for one in changed:
        one.decision = decided[one.identity]
    FoundDifference.objects.bulk_update(changed, ["decision"], batch_size=2_000)


def _comparison(rereading: Rereading) -> Comparison:
    return compare(read_snapshot(rereading.before), read_snapshot(rereading.after), rereading.apart)


@dataclass(frozen=True, slots=True)
class Done:
    """What taking a reading did."""

    change_set: ChangeSet
    taken: int
    left: int


@transaction.atomic
def take(*, area: Area, person: Person | None, rereading_id: int, progress: Progress | None = None) -> Done:
    """Take what is decided to be taken into the model, as one change set.

    Raises AgainError where nothing is, or where the model went on since the reading.
    """
    rereading = _open(area, rereading_id)
    model = StoredModel.objects.select_related("logical").get(pk=rereading.model_id)
    if model.snapshot_id != rereading.before_id:
        raise AgainError("The model was brought to another state since this reading. Read the source again.")
    rows = list(rereading.differences.all())
    taken = [row for row in rows if _is_taken(row)]
    if not taken:
        raise AgainError("Nothing is chosen. Take at least one difference, or put the reading away.")
    done = taking.take(
        area=area, person=person, physical=model, comparison=_comparison(rereading), taken={row.identity for row in taken},
        why=f"Read again from {rereading.source.name}: {len(taken):,} of {len(rows):,} differences taken", progress=progress,
        give_way=_names_that_give_way(taken), words=[
            taking.Words(row.target, row.object_id, row.theirs)
            for row in taken if row.conflict == DEFINITION and row.decision == Decision.TAKE
        ],
        drop_relationships=_dropped(taken),
    )  # fmt: skip
    rereading.state, rereading.change_set = Rereading.State.TAKEN, done.change_set
    rereading.decided_by, rereading.decided_at = person, timezone.now()
    rereading.save()
    return Done(done.change_set, len(taken), len(rows) - len(taken))


def _is_taken(row: FoundDifference) -> bool:
    """Say whether the source's side of a difference goes into the model.

    Where a person keeps an own name or definition, the source's name or comment is noted beside it all the same; where
    something gone is kept, it is not taken.
    """
    if row.decision == Decision.KEEP:
        return row.conflict in (NAME, DEFINITION, REFERENCE)
    return row.decision == Decision.TAKE


def _names_that_give_way(taken: Sequence[FoundDifference]) -> list[tuple[str, int]]:
    return [
        (row.target, row.object_id) for row in taken if row.conflict in (NAME, GONE) and row.decision == Decision.TAKE
    ]


def _dropped(taken: Sequence[FoundDifference]) -> list[int]:
    """Return asserted relationships for which the source declares another target, where that was decided."""
    return [row.object_id for row in taken if row.conflict == REFERENCE and row.decision == Decision.TAKE]


@transaction.atomic
def put_away(*, area: Area, person: Person, rereading_id: int) -> None:
    """Leave the model as it is; the next reading finds the same differences again."""
    rereading = _open(area, rereading_id)
    rereading.state, rereading.decided_by, rereading.decided_at = Rereading.State.PUT_AWAY, person, timezone.now()
    rereading.save()
