"""Reading sources on a schedule: what is due is started, never two at once on one source, and the result is sent by mail."""

from __future__ import annotations

import logging
from collections.abc import Iterable
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from cron_descriptor import Options, get_description
from croniter import croniter
from django.conf import settings
from django.core.mail import send_mail
from django.db import transaction
from django.utils import timezone

from indexa.areas.models import Membership, Person
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.registry import every_minute
from indexa.sources.models import Schedule, Source
from indexa.sources.signals import ReadingResult

logger = logging.getLogger(__name__)
_UTC = ZoneInfo("UTC")
_LATE = timedelta(minutes=10)
_LEAST_APART = timedelta(minutes=15)


class ScheduleError(Exception):
    """A schedule that can't be kept; the message says why and what to do."""


def next_time(cron: str, after: datetime, zone: ZoneInfo = _UTC) -> datetime:
    """Return when a cron expression is due next in a time zone. Raises ScheduleError for one that is none, or comes too often."""
    if len(cron.split()) != 5 or not croniter.is_valid(cron):
        raise ScheduleError(
            f"“{cron}” is no cron expression. It has five parts, minute, hour, day, month and weekday: 30 5 * * 1 is Monday at 5:30."
        )
    times = croniter(cron, after.astimezone(zone))
    first: datetime = times.get_next(datetime)
    second: datetime = times.get_next(datetime)
    if second - first < _LEAST_APART:
        raise ScheduleError("A source is read every quarter of an hour at most. Choose a wider expression.")
    return first


def in_words(cron: str) -> str:
    """Word a cron expression: "At 05:30, only on Monday"."""
    options = Options()
    options.use_24hour_time_format = True
    return str(get_description(cron, options))


@transaction.atomic
def save(
    *, source: Source, cron: str, watchers: Iterable[Person], person: Person, time_zone: ZoneInfo = _UTC
) -> Schedule:
    """Keep when a source is read on its own, in a time zone. Raises ScheduleError for what is no time."""
    cron = " ".join(cron.split())
    schedule, _ = Schedule.objects.update_or_create(
        source=source,
        defaults={
            "cron": cron,
            "time_zone": time_zone.key,
            "next_at": next_time(cron, timezone.now(), time_zone),
            "message": "",
            "made_by": person,
        },
    )
    members = Membership.objects.filter(area=source.area).values_list("person_id", flat=True)
    schedule.watchers.set([one for one in watchers if one.pk in set(members)])
    return schedule


@every_minute
def run_due() -> list[Job]:
    """Start a job for every schedule that is due; one whose source is being read already is skipped, and says so."""
    started = []
    now = timezone.now()
    for pk in Schedule.objects.filter(next_at__lte=now).values_list("pk", flat=True):
        with transaction.atomic():
            schedule = Schedule.objects.select_for_update(skip_locked=True, of=("self",)).select_related("source__area", "made_by").filter(
                pk=pk, next_at__lte=now
            ).first()  # fmt: skip
            if schedule is not None and (job := _start(schedule, now)) is not None:
                started.append(job)
    return started


def _start(schedule: Schedule, now: datetime) -> Job | None:
    source, zone = schedule.source, ZoneInfo(schedule.time_zone)
    due, now_there = schedule.next_at.astimezone(zone), now.astimezone(zone)
    schedule.next_at = next_time(schedule.cron, now, zone)
    busy = Job.objects.filter(
        area=source.area, kind="intake", arguments__source=source.pk, state__in=[Job.State.WAITING, Job.State.RUNNING]
    )
    if busy.exists():
        schedule.message = f"The reading of {due:%-d %b, %H:%M} was skipped: the one before it was still running."
        schedule.save(update_fields=["next_at", "message"])
        return None
    schedule.message = ""
    if now - due > _LATE:
        schedule.message = f"The reading of {due:%-d %b, %H:%M} was missed: no worker was running. It was made up at {now_there:%-d %b, %H:%M}."
    job = jobs.start(
        area=source.area, kind="intake", title=f"Reading {source.name} on schedule", person=schedule.made_by, source=source.pk,
        scheduled=True,
    )  # fmt: skip
    schedule.last_job = job
    schedule.save(update_fields=["next_at", "message", "last_job"])
    return job


def mail_result(job: Job, result: ReadingResult) -> None:
    """Send the watchers what a scheduled reading found."""
    source = Source.objects.select_related("area").filter(pk=job.arguments["source"]).first()
    if source is not None:
        _mail(source, result.subject, result.text, result.address)


def mail_failure(job: Job, error: JobFailedError) -> None:
    """Tell the watchers why a scheduled reading failed."""
    source = Source.objects.select_related("area").filter(pk=job.arguments["source"]).first()
    if source is not None:
        body = f"{source.name} could not be read as planned: {error.reason}\n{error.hint}\nThe model is as it was."
        _mail(source, f"{source.name}: reading failed", body, f"/a/{source.area.slug}/jobs/{job.pk}/")


def _mail(source: Source, subject: str, body: str, address: str) -> None:
    schedule = Schedule.objects.filter(source=source).first()
    to = [person.email for person in schedule.watchers.all() if person.email] if schedule else []
    if not to:
        return
    try:
        send_mail(f"[Indexa] {subject}", f"{body}\n\n{settings.ADDRESS}{address}\n", None, to)
    except OSError:
        logger.exception("mail about source %s could not be sent", source.pk)
