"""Comparing a model with its source, another model or a file, and deciding difference by difference; kept, so that it goes on later."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Collection
from typing import Any

import msgspec
from django.db import transaction
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.core.change.writing import risks_of_differences
from indexa.core.compare.applying import Applied, apply
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.compare.differences import Difference, with_required, without_dependent
from indexa.core.compare.ignoring import IGNORABLE, ignored
from indexa.core.compare.matching import KnownRenames, similarity
from indexa.core.compare.sides import sides
from indexa.core.model import Model
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ComparedDifference, ModelComparison
from indexa.reconcile.other_sides import OtherSide, other_side_again, state_of
from indexa.store.models import StoredModel, StoredTable
from indexa.store.storing import keep_snapshot, read_snapshot


class CompareArguments(Arguments):
    """Which comparison is filled."""

    comparison: int


Decision = ComparedDifference.Decision
_MOST_TABLES_AT_ONCE = 1_500
"""A model of more tables is compared in a job."""
_PARTNERS = 100
"""How many tables or columns are offered to match something with."""


@transaction.atomic
def start(
    *, area: Area, person: Person | None, model: StoredModel, other: OtherSide, ignore: Collection[str] = ()
) -> ModelComparison:
    """Compare a model with another side, and keep what differs."""
    made = ModelComparison.objects.create(
        area=area, model=model, other_model=other.model, source=other.source, other_label=other.label[:200], mine=keep_snapshot(state_of(model)),
        other=other.snapshot, base=other.base, base_label=other.base_label, renames=msgspec.to_builtins(other.renames),
        ignore=[one for one in ignore if one in IGNORABLE], by=person,
    )  # fmt: skip
    _fill_or_wait(made)
    return made


def _fill_or_wait(made: ModelComparison) -> None:
    """Fill a comparison now, or leave a large one to the job that whoever asked for it starts."""
    made.filled = (
        StoredTable.objects.filter(model=made.model_id, removed_at__isnull=True).count() <= _MOST_TABLES_AT_ONCE
    )
    made.save(update_fields=["filled"])
    if made.filled:
        fill(made)


@background("compare", CompareArguments)
def fill_in_background(job: Job, progress: Progress) -> str:
    """Compare the two states of a large comparison."""
    made = ModelComparison.objects.select_related("model").filter(pk=job.arguments["comparison"], area=job.area).first()
    if made is None:
        raise JobFailedError("The comparison was deleted.")
    progress.report(f"Comparing {made.model.name} with {made.other_label}")
    fill(made)
    made.filled = True
    made.save(update_fields=["filled"])
    return reverse("reconcile:comparison", args=[job.area.slug, made.pk])


@transaction.atomic
def ignore(made: ModelComparison, kinds: Collection[str]) -> None:
    """Change what a comparison ignores."""
    made.ignore = [one for one in kinds if one in IGNORABLE]
    made.save(update_fields=["ignore"])
    _fill_or_wait(made)


def states_of(made: ModelComparison) -> tuple[Model, Model]:
    """Return both states as they were compared: the other one and the model."""
    other, mine = read_snapshot(made.other), read_snapshot(made.mine)
    for table in other.tables:
        table.id = ""
        for column in table.columns:
            column.id = ""
    return other, mine


def comparison_of(made: ModelComparison) -> Comparison:
    """Return the comparison from the other state to the model."""
    other, mine = states_of(made)
    known, said = (msgspec.convert(one or {}, KnownRenames) for one in (made.renames, made.paired_renames))
    paired = KnownRenames([*known.tables, *said.tables], [*known.columns, *said.columns])
    return compare(other, mine, made.rejected_renames, paired=paired)


def fill(made: ModelComparison) -> None:
    """Write the differences down that are not ignored; what was decided before about the same ones stays."""
    comparison = comparison_of(made)
    left_out = ignored(comparison, made.ignore)
    shown = [one for one in comparison.differences if one.id not in left_out]
    base = read_snapshot(made.base) if made.base else None
    who = sides(shown, base, comparison.before, comparison.after)
    risks = risks_of_differences(comparison, made.model.platform) if made.model.layer == "physical" else {}
    decided = dict(made.differences.values_list("identity", "decision"))
    made.differences.all().delete()
    ComparedDifference.objects.bulk_create(
        [
            ComparedDifference(
                comparison=made, number=number, identity=one.id, kind=one.kind, what=one.what, schema=one.schema, table=one.table,
                name=one.name, field=one.field, before=one.before, after=one.after, evidence=list(one.evidence), requires=list(one.requires),
                side=who.get(one.id, ""), risk=risks.get(one.id, ""),
                decision=decided.get(one.id, _usual(made, who.get(one.id, ""))),
            )
            for number, one in enumerate(shown)
        ],
        batch_size=2_000,
    )  # fmt: skip


def _usual(made: ModelComparison, side: str) -> str:
    """Return what is proposed: what a person changed in the model is wanted, and what was changed on its branch.

    All else a person decides.
    """
    if side == "other" and made.other_model_id is not None:
        return Decision.TAKE
    return Decision.KEEP if side == "model" else Decision.LATER


@transaction.atomic
def compare_again(made: ModelComparison) -> None:
    """Compare the same two sides as they are now. Raises ReconciliationError where one of them is gone."""
    now = other_side_again(made)
    if now is not None:
        made.other, made.base, made.other_label = now.snapshot, now.base, now.label[:200]
        made.renames = msgspec.to_builtins(now.renames)
    made.mine = keep_snapshot(state_of(made.model))
    made.save(update_fields=["mine", "other", "base", "other_label", "renames"])
    _fill_or_wait(made)


@transaction.atomic
def reject_rename(made: ModelComparison, number: int) -> None:
    """Say that what seems renamed is two things. Raises ReconciliationError for what is no rename."""
    row = made.differences.filter(number=number, kind__in=["renamed", "moved"]).first()
    if row is None:
        raise ReconciliationError("Only what seems renamed or moved can be said to be two things.")
    said = msgspec.convert(made.paired_renames or {}, KnownRenames)
    said.tables = [pair for pair in said.tables if row.what == "column" or pair[0] != (row.schema, row.table)]
    said.columns = [pair for pair in said.columns if row.what != "column" or pair[1] != row.name]
    made.paired_renames = msgspec.to_builtins(said)
    made.rejected_renames = [*made.rejected_renames, row.identity]
    made.save(update_fields=["paired_renames", "rejected_renames"])
    fill(made)


def partners(row: ComparedDifference) -> list[ComparedDifference]:
    """Return what something gone or new may be under another name: of its kind, of its table; the likeliest first."""
    if row.kind not in ("gone", "new") or row.what not in ("table", "view", "column"):
        return []
    kind = "new" if row.kind == "gone" else "gone"
    found = ComparedDifference.objects.filter(comparison=row.comparison_id, kind=kind, what=row.what)
    if row.what == "column":
        found = found.filter(schema=row.schema, table=row.table)
    value = row.before or row.after
    return sorted(
        found, key=lambda one: ((one.before or one.after) != value, -similarity(one.name, row.name), one.name)
    )[:_PARTNERS]


@transaction.atomic
def pair_rename(made: ModelComparison, one: int, other: int) -> None:
    """Say that something gone and something new are one thing under another name. Raises ReconciliationError where they can't be."""
    rows = {row.kind: row for row in made.differences.filter(number__in=[one, other])}
    gone, new = rows.get("gone"), rows.get("new")
    if gone is None or new is None or new not in partners(gone):
        raise ReconciliationError(
            "Only a table can be matched with a new table, and a column with a new one of its table."
        )
    said = msgspec.convert(made.paired_renames or {}, KnownRenames)
    if gone.what == "column":
        match = comparison_of(made).matches.by_before[gone.schema, gone.table]
        said.columns.append(((match.after.schema, match.after.name), gone.name, new.name))
        identity = f"column:{gone.full_table}:{gone.name}.name"
    else:
        said.tables.append(((gone.schema, gone.table), (new.schema, new.table)))
        identity = f"table:{gone.full_table}.name"
    made.paired_renames = msgspec.to_builtins(said)
    made.rejected_renames = [id_ for id_ in made.rejected_renames if id_ != identity]
    made.save(update_fields=["paired_renames", "rejected_renames"])
    fill(made)


@transaction.atomic
def decide(*, made: ModelComparison, person: Person, numbers: Collection[int], decision: str) -> int:
    """Decide some differences; what they can't be without, or what can't be without them, follows. Returns how many changed."""
    if decision not in Decision.values:
        raise ReconciliationError(f"“{decision[:20]}” is no decision.")
    ModelComparison.objects.select_for_update().get(pk=made.pk)
    rows = list(made.differences.all())
    chosen = {row.identity for row in rows if row.number in set(numbers)}
    differences = [row.as_core() for row in rows]
    # The script brings what is kept: it needs what that requires. What is taken leaves out what depends on it.
    follows = (
        with_required(differences, chosen) if decision == Decision.KEEP else without_dependent(differences, chosen)
    )
    changed = [row for row in rows if row.identity in follows and row.decision != decision]
    for row in changed:
        row.decision, row.decided_by = decision, person
    ComparedDifference.objects.bulk_update(changed, ["decision", "decided_by"], batch_size=2_000)
    return len(changed)


def core_rows(made: ModelComparison) -> list[tuple[Difference, ComparedDifference]]:
    """Return all differences as the core has them, each with its row."""
    return [(row.as_core(), row) for row in made.differences.select_related("decided_by")]


def wanted_of(made: ModelComparison, comparison: Comparison) -> Applied:
    """Return what the other side is to be: with what is kept of the model, and nothing else."""
    return apply(comparison, set(made.differences.filter(decision=Decision.KEEP).values_list("identity", flat=True)))


def digest_of_decisions(made: ModelComparison) -> str:
    """Return a digest of all that is kept, by which a script tells whether it is still of these decisions."""
    kept = made.differences.filter(decision=Decision.KEEP).order_by("identity").values_list("identity", flat=True)
    return hashlib.sha256("\n".join([made.mine_id, made.other_id, *kept]).encode()).hexdigest()


def is_stale(made: ModelComparison) -> bool:
    """Return whether the model is not what it was when compared."""
    return keep_snapshot(state_of(made.model)).pk != made.mine_id


def counts_of(made: ModelComparison) -> dict[str, Any]:
    """Return how many differences there are, by decision, side, kind and risk."""
    found = list(made.differences.values_list("decision", "side", "kind", "risk"))
    return {
        "all": len(found), "decisions": Counter(one[0] for one in found), "sides": Counter(one[1] for one in found),
        "kinds": Counter(one[2] for one in found), "risks": Counter(one[3] for one in found),
    }  # fmt: skip
