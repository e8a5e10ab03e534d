"""Change scripts of comparisons: written of what is kept, rehearsed in a job, signed off for exactly their text."""

from __future__ import annotations

from collections import Counter

import msgspec
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from indexa.adapters.errors import SourceError
from indexa.adapters.rehearsing import Rehearsal, rehearse
from indexa.areas.models import Person
from indexa.building import ddl_templates
from indexa.core import platforms
from indexa.core.change.filling import FillError, filled
from indexa.core.change.script import RISKS, Options
from indexa.core.change.writing import change_of, revert_of
from indexa.core.compare.comparing import Comparison, compare
from indexa.core.ddl.targets import TARGETS
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.reconcile import comparing
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import KeptScript, ModelComparison
from indexa.store.storing import keep_snapshot

_PIECES = 40


class RehearseArguments(Arguments):
    """Which script is rehearsed."""

    script: int


def platform_of(made: ModelComparison) -> str:
    """Return the platform of a comparison's script: that of the model. Raises ReconciliationError where it has none."""
    platform: str = made.model.platform
    if made.model.layer != "physical" or platform not in TARGETS:
        raise ReconciliationError("Only physical models of a platform that DDL is written for have change scripts.")
    return platform


def _kept_part(made: ModelComparison) -> Comparison:
    """Return the comparison between the other state and what it is to be."""
    whole = comparing.comparison_of(made)
    applied = comparing.wanted_of(made, whole)
    return compare(whole.before, applied.model, renames=applied.renames())


@transaction.atomic
def write(*, made: ModelComparison, person: Person, allow_drops: bool, online: bool = False) -> KeptScript:
    """Write the script of what is decided to be kept. Raises ReconciliationError where that is nothing."""
    platform = platform_of(made)
    comparison = _kept_part(made)
    if not comparison.differences:
        raise ReconciliationError("Nothing is to be changed: no difference is decided as keep model.")
    change, revert = (
        change_of(comparison, platform, Options(allow_drops=allow_drops, online=online)),
        revert_of(comparison, platform),
    )
    when = timezone.localtime().strftime("%-d %B %Y, %H:%M %Z")
    change.header = (
        f"Brings {made.other_label} to {made.model.name}\n{platforms.label_of(platform)}, {person.display_name}, {when}"
    )
    revert.header = (
        f"Takes back: {made.other_label} as it was\n{platforms.label_of(platform)}, {person.display_name}, {when}"
    )
    change, revert = (ddl_templates.write_change(one, made.model, person) for one in (change, revert))
    return KeptScript.objects.create(
        comparison=made, platform=platform, allow_drops=allow_drops, by=person, decided=comparing.digest_of_decisions(made),
        change=msgspec.to_builtins(change), revert=msgspec.to_builtins(revert),
    )  # fmt: skip


@transaction.atomic
def fill_in(*, script: KeptScript, number: int, expression: str) -> None:
    """Put the value that a step waits for into the script. It is another text then: rehearsal and sign-off end.

    Raises ReconciliationError for a step that waits for none, and for what is no value.
    """
    script = KeptScript.objects.select_for_update(of=("self",)).get(pk=script.pk)
    parser = platforms.get(script.platform).dialect.parser if script.platform in platforms.names() else ""
    try:
        script.change = msgspec.to_builtins(filled(script.as_core, number, expression, parser))
    except FillError as error:
        raise ReconciliationError(str(error)) from error
    script.rehearsal = script.rehearsed_at = script.signed_by = script.signed_at = None
    script.signed_checksum = ""
    script.save()


def risks_of(script: KeptScript) -> list[tuple[str, int]]:
    """Return how many steps there are of each risk, the least first."""
    counts = Counter(step["risk"] for step in script.steps)
    return [(risk, counts[risk]) for risk in RISKS if counts[risk]]


def bar_of(script: KeptScript) -> list[str]:
    """Return the risks of the steps as a bar shows them: a piece for each step, or for every so many."""
    every = max(1, len(script.steps) // _PIECES)
    order = list(RISKS)
    return sorted((step["risk"] for step in script.steps), key=order.index)[::every]


def is_current(script: KeptScript) -> bool:
    """Return whether a script is still of the decisions as they are."""
    return script.decided == comparing.digest_of_decisions(script.comparison)


@background("rehearse", RehearseArguments)
def rehearse_in_background(job: Job, progress: Progress) -> str:
    """Try a script out on a throw-away database, and keep what came of it."""
    script = KeptScript.objects.filter(pk=job.arguments["script"], comparison__area=job.area).first()
    if script is None:
        raise JobFailedError("The script was deleted.")
    made = script.comparison
    if not is_current(script):
        raise JobFailedError("Decisions changed since this script was written. Write it again, then rehearse it.")
    comparison = _kept_part(made)
    change, revert = script.as_core, script.revert_as_core
    try:
        found = rehearse(comparison.before, comparison.after, change, revert, progress.report)
    except SourceError as error:
        raise JobFailedError(f"{error.message} {error.hint}") from error
    keep_rehearsal(script, found)
    return reverse("reconcile:comparison", args=[job.area.slug, made.pk])


def keep_rehearsal(script: KeptScript, found: Rehearsal) -> None:
    """Keep what a rehearsal showed with its script."""
    script.rehearsed_as = keep_snapshot(found.wanted) if found.wanted is not None else None
    script.rehearsal = msgspec.to_builtins(msgspec.structs.replace(found, wanted=None)) | {
        "clean": found.is_clean, "rows_kept": sum(found.rows_after.values()), "rows_there": sum(found.rows_before.values()),
        "failed": msgspec.to_builtins(found.failed) if found.failed else None,
    }  # fmt: skip
    script.rehearsed_at = timezone.now()
    script.save(update_fields=["rehearsal", "rehearsed_at", "rehearsed_as"])


@transaction.atomic
def sign(*, script: KeptScript, person: Person, checksum: str) -> None:
    """Sign a script off: by an approver who did not write it, for exactly this text, once it was rehearsed without a difference."""
    script = KeptScript.objects.select_for_update(of=("self",)).get(pk=script.pk)
    if checksum != script.checksum:
        raise ReconciliationError("This is another text than the one that was shown. Load the page again.")
    if script.signed_at is not None:
        raise ReconciliationError("It is signed off already.")
    if script.by_id == person.pk:
        raise ReconciliationError("Who wrote a script does not sign it off. Ask another approver.")
    if not (script.rehearsal or {}).get("clean"):
        raise ReconciliationError("It has to be rehearsed first, with no difference left.")
    script.signed_by, script.signed_at, script.signed_checksum = person, timezone.now(), checksum
    script.save(update_fields=["signed_by", "signed_at", "signed_checksum"])
