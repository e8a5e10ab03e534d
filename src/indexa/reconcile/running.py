"""Running a signed change script on a live source: allowed by an administrator, checked again right before, recorded step by step."""

from __future__ import annotations

import msgspec
from django.db import IntegrityError, transaction
from django.urls import reverse
from django.utils import timezone

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.running import CancelledError, StepDone, run_script
from indexa.adapters.writing import WRITABLE, Limits, open_writing
from indexa.areas.models import Person
from indexa.core.compare.reporting import left_between
from indexa.core.intake.choice import OBJECT_KINDS
from indexa.core.model import Model, file
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobCancelledError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.reconcile import comparing
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ChangeAccess, KeptScript, ModelComparison, ScriptRun
from indexa.sources.models import Source
from indexa.sources.opening import address_of, password_of, reading
from indexa.sources.secrets import SealBrokenError, seal, unseal
from indexa.sources.services import choice_of
from indexa.store.storing import read_snapshot

LIMITS = Limits()
_MOST_TOLD = 50
_LEFT_ALONE = "The worker was stopped in the middle. What was done is not known: read the source again and compare."
State = ScriptRun.State


class RunArguments(Arguments):
    """Which run."""

    run: int


def can_be_allowed(source: Source) -> bool:
    """Return whether scripts can be run on a source at all: a live one, or a file, of a platform that is written to from here."""
    return source.kind in (Source.Kind.LIVE, Source.Kind.FILE) and source.platform in WRITABLE


@transaction.atomic
def allow(*, source: Source, person: Person, login: str, password: str) -> ChangeAccess:
    """Allow change scripts on a source, as a login of their own or as the one that reads."""
    if not can_be_allowed(source):
        raise ReconciliationError("Change scripts are not run on such a source. Hand the file over.")
    if login and not password and source.kind == Source.Kind.LIVE:
        raise ReconciliationError(f"Enter the password of {login}.")
    ChangeAccess.objects.filter(source=source).delete()
    access = ChangeAccess(source=source, login=login.strip()[:128], allowed_by=person)
    access.sealed_password = seal(password, access.target) if login else ""
    access.save()
    return access


def forbid(*, source: Source) -> None:
    """Forbid change scripts on a source, and forget the login's password."""
    ChangeAccess.objects.filter(source=source).delete()


def why_not(script: KeptScript) -> str:
    """Return why a script can't be run on the source of its comparison; "" where it can."""
    source = script.comparison.source
    if source is None:
        return "It was compared with no source."
    if not can_be_allowed(source):
        return f"Scripts are not run on {source.name} from here: hand the file over."
    if ChangeAccess.objects.filter(source=source).first() is None:
        return f"An administrator has not allowed change scripts on {source.name}. Hand the file over."
    if any(step["fill"] for step in script.steps):
        return "A step has to be filled in first."
    if script.signed_at is None:
        return "It has to be signed off first."
    if script.signed_checksum != script.checksum:
        return "It is not the text that was signed off. Have it signed off again."
    return ""


@transaction.atomic
def start(*, script: KeptScript, person: Person, checksum: str, confirmed: str) -> ScriptRun:
    """Have a signed script run on its source. Raises ReconciliationError where it can't be, or the source's name was not typed."""
    script = KeptScript.objects.select_for_update(of=("self",)).get(pk=script.pk)
    if reason := why_not(script):
        raise ReconciliationError(reason)
    source = script.comparison.source
    assert source is not None
    if checksum != script.checksum:
        raise ReconciliationError("This is another text than the one that was shown. Load the page again.")
    if confirmed.strip() != source.name:
        raise ReconciliationError(f"Type the name of the source, {source.name}, to run the script on it.")
    for other in ScriptRun.objects.filter(source=source, state__in=[State.WAITING, State.RUNNING]):
        settle(other)
    access = ChangeAccess.objects.get(source=source)
    try:
        with transaction.atomic():
            run = ScriptRun.objects.create(
                script=script, source=source, source_label=f"{source.name}, {source.place}"[:400], login=access.login or source.user,
                checksum=script.checksum, text=script.as_core.text(), by=person,
                steps=[msgspec.to_builtins(StepDone(what=step["what"])) for step in script.steps],
            )  # fmt: skip
    except IntegrityError as error:
        raise ReconciliationError(f"Another script is being run on {source.name}. Wait for its end.") from error
    run.job = jobs.start(
        area=source.area, kind="run change script", title=f"Running a change script on {source.name}", person=person, run=run.pk
    )  # fmt: skip
    run.save(update_fields=["job"])
    return run


@background("run change script", RunArguments, atomic=False)
def run_in_background(job: Job, progress: Progress) -> str:
    """Run a script; its record says how it went, also where the worker is stopped in the middle."""
    run = ScriptRun.objects.select_related("script__comparison", "source").filter(pk=job.arguments["run"]).first()
    if run is None:
        return reverse("reconcile:comparisons", args=[job.area.slug])
    address = reverse("reconcile:run", args=[job.area.slug, run.pk])
    if run.state == State.RUNNING:
        _end(run, State.STOPPED, _LEFT_ALONE)
    if run.state != State.WAITING:
        return address
    ScriptRun.objects.filter(pk=run.pk).update(state=State.RUNNING)
    try:
        _run(run, progress)
    except JobCancelledError:
        _end(run, State.REFUSED, "Cancelled before it was begun.")
    except (SourceError, SealBrokenError, ReconciliationError) as error:
        told = f"{error.message} {error.hint}" if isinstance(error, SourceError) else str(error)
        _end(run, State.REFUSED, told)
    return address


def settle(run: ScriptRun) -> None:
    """End a run whose job is over without having said so: it was called off before it began, or its worker was stopped."""
    if run.job is None or not run.job.is_over:
        return
    if run.state == State.WAITING:
        _end(run, State.REFUSED, "Cancelled before it was begun.")
    elif run.state == State.RUNNING:
        _end(run, State.STOPPED, _LEFT_ALONE)


def _run(run: ScriptRun, progress: Progress) -> None:
    script, source = run.script, run.source
    if source is None or (reason := why_not(script)):
        raise ReconciliationError("The source was removed." if source is None else reason)
    change = script.as_core
    if change.checksum() != run.checksum or script.signed_checksum != run.checksum:
        raise ReconciliationError("The script was changed after it was signed off. Nothing was run.")
    made = script.comparison
    progress.report("Checking that the source is what was compared")
    before = read_snapshot(made.other)
    if left := left_between(_read(source), before, _MOST_TOLD):
        run.left = left
        raise ReconciliationError(
            "The source is not what was compared any more. Nothing was run: read it again, compare again, and write the script anew."
        )
    address, password = _as_whom(source, ChangeAccess.objects.get(source=source))

    def watch(number: int, done: list[StepDone]) -> None:
        ScriptRun.objects.filter(pk=run.pk).update(steps=msgspec.to_builtins(done))
        try:
            progress.report(f"Step {number + 1}: {done[number].what}", number, len(done))
        except JobCancelledError as error:
            raise CancelledError from error

    with open_writing(source.platform, address, password, LIMITS) as session:
        done = run_script(change, session, watch)
    run.steps = msgspec.to_builtins(done)
    failed = next((step for step in done if step.state in ("stopped", "not known") or step.error), None)
    _check_result(run, made, before, failed, transactional=change.transactional)


def _check_result(
    run: ScriptRun, made: ModelComparison, before: Model, failed: StepDone | None, *, transactional: bool
) -> None:
    """Read the source again and say what it is by now; that it can't be read is told too."""
    assert run.source is not None
    state = State.STOPPED if failed else State.DONE
    try:
        now = _read(run.source)
    except SourceError as error:
        _end(run, state, f"{_outcome(failed)} The source could not be read again: {error.message}")
        return
    rehearsed = run.script.rehearsed_as
    wanted = comparing.wanted_of(made, comparing.comparison_of(made)).model
    run.left = left_between(now, wanted, _MOST_TOLD, also=read_snapshot(rehearsed) if rehearsed else None)
    if failed is None:
        _end(run, state, "Run to its end." + (" Some differences are left." if run.left else " No difference is left."))
        return
    if not left_between(now, before, 1):
        told = "Nothing was changed: the source is as it was before."
    elif not run.left:
        told = "The source is as the script makes it all the same."
    else:
        told = "The source is between before and after: the steps before this one stay done."
        told += "" if transactional else f" {len(run.left)} differences are left."
    _end(run, state, f"{_outcome(failed)} {told}")


def _outcome(failed: StepDone | None) -> str:
    return f"Stopped at “{failed.what}”." if failed else "Run to its end."


def _end(run: ScriptRun, state: str, message: str) -> None:
    run.state, run.message, run.ended_at = state, message, timezone.now()
    run.save(update_fields=["state", "message", "ended_at", "steps", "left"])


def _read(source: Source) -> Model:
    """Read a source as it was chosen."""
    with reading(source) as opened:
        found, _ = opened.read(choice_of(source, tuple(OBJECT_KINDS)), lambda *_: None, source.name)
    return file.with_nul_shown(found)[0]


def _as_whom(source: Source, access: ChangeAccess) -> tuple[Address, str]:
    address = address_of(source)
    if not access.login:
        return address, password_of(source, None)
    return msgspec.structs.replace(address, user=access.login), unseal(access.sealed_password, access.target)
