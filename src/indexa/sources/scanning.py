"""Scanning a source: what it holds, before anything of it is read into a model.

A page waits for a database for some seconds only, in a process of its own, and a few pages at a time. Uploads, and
databases that need longer, are scanned by a job.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import msgspec
from django.db import connection
from django.urls import reverse

from indexa.adapters.errors import SourceError
from indexa.adapters.probing import MOST_NAMES, Held, probe_source
from indexa.areas.models import Area, Person
from indexa.core.intake.choice import Choice
from indexa.core.platforms import Tick
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.sources.models import Source
from indexa.sources.opening import address_of, password_of, reading

PROBE_SECONDS = 15.0
PROBES_OF_AREA, PROBES_IN_ALL = 3, 6
_AREA_LOCKS, _ALL_LOCKS = 0x1DEA0, 0x1DEA1
"""First keys of the advisory locks that probes hold while they run."""


def probe(source: Source, password: str | None = None) -> Held:
    """Connect to a live source, or open a file, and list what it holds; remembered if the source is saved.

    Takes 15 seconds at most. Raises SourceError, also where too many are probed already.
    """
    address, secret = address_of(source), password_of(source, password)
    with _place_among(source.area):
        held = probe_source(source.platform, address, secret, PROBE_SECONDS)
    if source.pk:
        remember(source, held)
    return held


@contextmanager
def _place_among(area: Area) -> Iterator[None]:
    places = [(_AREA_LOCKS, area.pk * PROBES_OF_AREA + number) for number in range(PROBES_OF_AREA)]
    with (
        _any_lock(places, "in this area"),
        _any_lock([(_ALL_LOCKS, number) for number in range(PROBES_IN_ALL)], "here"),
    ):
        yield


@contextmanager
def _any_lock(keys: list[tuple[int, int]], where: str) -> Iterator[None]:
    with connection.cursor() as cursor:
        for first, second in keys:
            cursor.execute("select pg_try_advisory_lock(%s, %s)", [first, second])
            if cursor.fetchone()[0]:
                break
        else:
            raise SourceError(
                "busy", f"{len(keys)} sources are being tested {where} already.", "Wait some seconds, then try again."
            )
    try:
        yield
    finally:
        with connection.cursor() as cursor:
            cursor.execute("select pg_advisory_unlock(%s, %s)", [first, second])


def scan(source: Source, report: Tick = lambda *_: None) -> Held:
    """Read a source of any kind as far as it takes to list what it holds, and remember that. Raises SourceError."""
    with reading(source, report=report) as opened:
        found = opened.count()
        names = opened.table_names(Choice(tuple(schema.schema for schema in found)))
        held = Held(found, opened.limits(), names[:MOST_NAMES])
    remember(source, held)
    return held


def remember(source: Source, held: Held) -> None:
    """Keep what a scan found with its source, so that choosing asks the source no more."""
    source.inventory = held.names
    source.held = msgspec.to_builtins({"schemas": held.schemas, "limits": held.limits})
    source.save(update_fields=["inventory", "held"])


def remembered(source: Source) -> Held | None:
    """Return what the last scan found, None where there was none."""
    if source.held is None:
        return None
    return msgspec.convert(source.held | {"names": source.inventory or []}, Held)


def start_scan(source: Source, person: Person | None) -> Job:
    """Put a scan into the queue, unless one is there or runs."""
    return running_scan(source) or jobs.start(
        area=source.area, kind="scan", title=f"Scanning {source.name}", person=person, source=source.pk
    )


def running_scan(source: Source) -> Job | None:
    """Return the scan of a source that waits or runs."""
    states = [Job.State.WAITING, Job.State.RUNNING]
    return Job.objects.filter(area=source.area, kind="scan", arguments__source=source.pk, state__in=states).first()


def failed_scan(source: Source) -> Job | None:
    """Return the last scan of a source if it did not end well."""
    last = Job.objects.filter(area=source.area, kind="scan", arguments__source=source.pk).first()
    return last if last and last.state in (Job.State.FAILED, Job.State.CANCELLED) else None


class ScanArguments(Arguments):
    """Which source is scanned."""

    source: int


@background("scan", ScanArguments)
def scan_in_background(job: Job, progress: Progress) -> str:
    """Scan the job's source. Returns the address of its page."""
    source = Source.objects.select_related("area").filter(pk=job.arguments["source"]).first()
    if source is None:
        raise JobFailedError("The source was deleted before it could be scanned.")
    progress.report("Scanning the source")
    try:
        scan(source, progress.report)
    except SourceError as error:
        raise JobFailedError(error.message, error.hint) from error
    return reverse("sources:page", args=[source.area.slug, source.pk])
