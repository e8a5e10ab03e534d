"""An intake: the job that reads a source and stores what it said, whole or not at all."""

from __future__ import annotations

import time

import msgspec
from django.db import connection
from django.urls import reverse

from indexa.adapters.errors import SourceError
from indexa.core.intake.choice import OBJECT_KINDS
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.modeling.models import ChangeSet, Layer, StoredModel
from indexa.modeling.storing import store_reading
from indexa.sources.models import Intake, Source
from indexa.sources.services import choice_of, name_for, reading

_LOCK_CLASS = 0x1DE8B
"""First key of the lock that keeps one source from being read twice at once."""


def read_source(job: Job, progress: Progress) -> str:
    """Read the job's source into its model. Returns the address of the receipt."""
    source = Source.objects.select_related("model", "area").filter(pk=job.arguments["source"]).first()
    if source is None:
        raise JobFailedError("The source was removed before it could be read.")
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_xact_lock(%s, %s)", [_LOCK_CLASS, source.pk])
        if not cursor.fetchone()[0]:
            raise JobFailedError("Another reading of this source is running.", "Wait for it to end, then read again.")
    started = time.monotonic()
    try:
        model, receipt = _read(source, progress)
    except SourceError as error:
        raise JobFailedError(error.message, error.hint) from error
    receipt.reading_seconds = time.monotonic() - started
    return _store(job, source, model, receipt, progress)


def _read(source: Source, progress: Progress) -> tuple[Model, Receipt]:
    progress.tell("Opening the source")
    name = source.model.name if source.model else name_for(source.area, source.name)
    with reading(source) as opened:
        model, receipt = opened.read(choice_of(source, tuple(OBJECT_KINDS)), progress.tell, name)
        model.platform = source.platform
        model.platform_version = receipt.source_version = opened.version
    return model, receipt


def _store(job: Job, source: Source, model: Model, receipt: Receipt, progress: Progress) -> str:
    started = time.monotonic()
    logical = StoredModel.objects.filter(pk=job.arguments.get("logical"), area=source.area, layer=Layer.LOGICAL).first()
    stored, receipt.changed = store_reading(
        area=source.area, reading=model, into=source.model, logical=logical, progress=progress
    )
    receipt.storing_seconds = time.monotonic() - started
    source.model = stored
    source.save(update_fields=["model"])
    assert stored.snapshot is not None
    intake = Intake.objects.create(
        source=source,
        model=stored,
        snapshot=stored.snapshot,
        receipt=msgspec.to_builtins(receipt),
        person=job.started_by,
    )
    ChangeSet.objects.create(
        area=source.area,
        model=stored,
        kind=ChangeSet.Kind.INTAKE,
        person=job.started_by,
        why=f"Read from {source.name}",
    )
    return reverse("sources:receipt", args=[source.area.slug, intake.pk])
