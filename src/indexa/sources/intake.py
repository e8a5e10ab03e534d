"""An intake: the job that reads a source and stores what it said, whole or not at all."""

from __future__ import annotations

import time
from typing import Any

import msgspec
from django.db import connection, transaction
from django.urls import reverse

from indexa.adapters.errors import SourceError
from indexa.changes.models import ChangeSet
from indexa.core.compare.comparing import compare
from indexa.core.intake.choice import OBJECT_KINDS
from indexa.core.intake.narrowing import complete
from indexa.core.intake.receipt import Receipt, counted
from indexa.core.model import Model, file
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.sources import schedules
from indexa.sources.models import Intake, Source
from indexa.sources.opening import reading
from indexa.sources.services import choice_of, name_for
from indexa.sources.signals import ReadingResult, later_reading
from indexa.store.models import Layer, Snapshot, StoredModel
from indexa.store.storing import SnapshotKeeping, SnapshotUnpacking, read_snapshot, store_reading

_LOCK_CLASS = 0x1DE8B
"""First key of the lock that keeps one source from being read twice at once."""


class IntakeArguments(Arguments):
    """Which source is read, and which logical model its first reading implements; whether by schedule."""

    source: int
    logical: int | None = None
    scheduled: bool = False


@background("intake", IntakeArguments)
def read_source(job: Job, progress: Progress) -> str:
    """Read the job's source. Returns the address of the receipt, or of what differs from the reading before.

    The result of a scheduled reading is sent by mail, a failure too.
    """
    if not job.arguments.get("scheduled"):
        return _read_source(job, progress).address
    try:
        result = _read_source(job, progress)
    except JobFailedError as error:
        schedules.mail_failure(job, error)
        raise
    transaction.on_commit(lambda: schedules.mail_result(job, result))
    return result.address


def _read_source(job: Job, progress: Progress) -> ReadingResult:
    source = Source.objects.select_related("model__snapshot", "area").filter(pk=job.arguments["source"]).first()
    if source is None:
        raise JobFailedError("The source was removed before it could be read.")
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_xact_lock(%s, %s)", [_LOCK_CLASS, source.pk])
        if not cursor.fetchone()[0]:
            raise JobFailedError("Another reading of this source is running.", "Wait for it to end, then read again.")
    started = time.monotonic()
    earlier = SnapshotUnpacking(source.model.snapshot) if source.model and source.model.snapshot else None
    try:
        model, receipt = _read(source, progress)
    except SourceError as error:
        raise JobFailedError(error.message, error.hint) from error
    receipt.reading_seconds = time.monotonic() - started
    if earlier is None and not any(receipt.arrived.values()):
        raise JobFailedError(
            "Nothing was found: no table, view, type or routine. No model was made.",
            _where_nothing_was(source, receipt),
        )
    if earlier is None:
        return _store(job, source, model, receipt, progress)
    return _keep_differences(job, source, earlier, model, receipt, progress)


def _where_nothing_was(source: Source, receipt: Receipt) -> str:
    """Say what to look at where a first reading brings nothing."""
    if not source.is_upload:
        return "Check the schemas, the kinds and the patterns that were chosen, and what the login may see."
    if receipt.statements:
        words = ", ".join(f"{count:,} {word}" for word, count in list(receipt.statements.items())[:5])
        return f"Its statements begin with: {words}. Check the dialect, the choice and the patterns."
    return "The file holds no statement that is known. Check that it is a script of definitions, and its dialect."


def _read(source: Source, progress: Progress) -> tuple[Model, Receipt]:
    progress.report("Opening the source")
    name = source.model.name if source.model else name_for(source.area, source.name)
    with reading(source) as opened:
        model, receipt = opened.read(choice_of(source, tuple(OBJECT_KINDS)), progress.report, name)
        model.platform = source.platform
        model.platform_version = receipt.source_version = opened.version
    model, shown = file.with_nul_shown(model)
    if shown:
        receipt.note("adapted", "texts", "A character that no text can hold (NUL) is written as ␀.", shown)
    return model, receipt


def _store(job: Job, source: Source, model: Model, receipt: Receipt, progress: Progress) -> ReadingResult:
    """Keep a source's first reading as a model."""
    started = time.monotonic()
    logical = StoredModel.objects.filter(pk=job.arguments.get("logical"), area=source.area, layer=Layer.LOGICAL).first()
    stored = store_reading(area=source.area, reading=model, logical=logical, progress=progress)
    receipt.storing_seconds = time.monotonic() - started
    source.model = stored
    source.save(update_fields=["model"])
    assert stored.snapshot is not None
    intake = _intake(job, source, stored, stored.snapshot, receipt)
    ChangeSet.objects.create(
        area=source.area,
        model=stored,
        kind=ChangeSet.Kind.INTAKE,
        person=job.started_by,
        why=f"Read from {source.name}",
    )
    return ReadingResult(
        _receipt_of(intake), f"{source.name}: first reading", f"{source.name} was read for the first time."
    )


def _keep_differences(
    job: Job, source: Source, unpacking: SnapshotUnpacking, model: Model, receipt: Receipt, progress: Progress
) -> ReadingResult:
    """Keep a later reading as what is otherwise, for a person to decide."""
    started = time.monotonic()
    progress.report("Comparing with the last reading")
    stored = StoredModel.objects.select_related("snapshot").get(sources=source)
    assert stored.snapshot is not None
    # Somebody may have taken an earlier reading while this one ran.
    earlier = unpacking.wait() if stored.snapshot_id == unpacking.digest else read_snapshot(stored.snapshot)
    kept = complete(model, earlier, choice_of(source, tuple(OBJECT_KINDS)))
    if kept:
        message = ", ".join(f"{count:,} {counted(kind, count)}" for kind, count in kept.items())
        wording = f"Not chosen this time; they stay in the model as the reading before found them: {message}."
        receipt.note("adapted", "objects", wording, sum(kept.values()))
    keeping = SnapshotKeeping(model)
    comparison = compare(earlier, model)
    snapshot = keeping.keep()
    receipt.storing_seconds = time.monotonic() - started
    intake = _intake(job, source, stored, snapshot, receipt)
    scheduled = bool(job.arguments.get("scheduled"))
    answers: list[tuple[Any, Any]] = later_reading.send(
        Intake, intake=intake, comparison=comparison, scheduled=scheduled
    )
    for _, answer in answers:
        if isinstance(answer, ReadingResult):
            return answer
    StoredModel.objects.filter(pk=stored.pk).update(read_at=intake.at)
    text = f"{source.name} was read as planned. It is as it was."
    return ReadingResult(_receipt_of(intake), f"{source.name}: nothing new", text)


def _receipt_of(intake: Intake) -> str:
    return reverse("sources:receipt", args=[intake.source.area.slug, intake.pk])


def _intake(job: Job, source: Source, stored: StoredModel, snapshot: Snapshot, receipt: Receipt) -> Intake:
    text = msgspec.to_builtins(receipt)
    return Intake.objects.create(source=source, model=stored, snapshot=snapshot, receipt=text, person=job.started_by)
