"""Starting, running, cancelling and recovering jobs."""

from __future__ import annotations

import logging
import time
from contextlib import nullcontext
from typing import Any

from django.db import connection, transaction
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.database_errors import is_outage
from indexa.jobs import registry
from indexa.jobs.errors import JobCancelledError, JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import LOCK_CLASS, JobProgress, Progress

logger = logging.getLogger(__name__)

MOST_ATTEMPTS = 3
_SECONDS_TO_COME_BACK = 120


def start(*, area: Area, kind: str, title: str, person: Person | None, **arguments: Any) -> Job:
    """Put a job into the queue; it runs once the surrounding transaction is committed.

    Raises UnknownJobKindError, and msgspec.ValidationError for arguments that are not those of the kind.
    """
    registry.check(kind, arguments)
    job = Job.objects.create(area=area, kind=kind, title=title, arguments=arguments, started_by=person)
    _enqueue(job)
    return job


def cancel(job: Job) -> None:
    """Call a job off: a waiting one ends at once, a running one at its next step."""
    waiting = Job.objects.filter(pk=job.pk, state=Job.State.WAITING)
    if not waiting.update(state=Job.State.CANCELLED, cancel_requested=True, ended_at=timezone.now()):
        Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(cancel_requested=True)


def run_again(job: Job) -> Job:
    """Start a job that failed or was cancelled once more, as a new one."""
    return start(area=job.area, kind=job.kind, title=job.title, person=job.started_by, **job.arguments)


def run(job_id: int) -> None:
    """Run a job in this process. Harmless if it is over, or if another worker has it."""
    with JobProgress(job_id) as progress:
        if not progress.take_lock():
            return
        claimed = Job.objects.filter(pk=job_id, state__in=[Job.State.WAITING, Job.State.RUNNING])
        if not claimed.update(state=Job.State.RUNNING, started_at=timezone.now()):
            return
        job = Job.objects.select_related("area", "started_by").get(pk=job_id)
        job.attempts += 1
        job.save(update_fields=["attempts"])
        try:
            with transaction.atomic() if registry.is_atomic(job.kind) else nullcontext():
                job.result_url = _run(job, progress)
            ended = {"state": Job.State.DONE, "result_url": job.result_url}
        except JobCancelledError:
            ended = {"state": Job.State.CANCELLED, "reason": "Cancelled; nothing of it was kept."}
        except JobFailedError as error:
            ended = {"state": Job.State.FAILED, "reason": error.reason, "hint": error.hint}
        except Exception as error:
            if is_outage(error):
                logger.warning("job %s: the database went away; it is queued again", job_id)
                _put_back(job)
                return
            logger.exception("job %s failed", job_id)
            ended = {
                "state": Job.State.FAILED,
                "reason": "An unexpected error stopped it; nothing of it was kept.",
                "hint": f"Run it again. If it fails again, the server's log has the cause under “job {job_id}”.",
            }
        Job.objects.filter(pk=job_id).update(**ended, ended_at=timezone.now())


def _put_back(job: Job) -> None:
    """Queue a job again that lost the database, not its worker: that attempt does not count.

    Waits for the database for two minutes; later than that `recover` finds the job.
    """
    deadline = time.monotonic() + _SECONDS_TO_COME_BACK
    while True:
        try:
            connection.close()
            with transaction.atomic():
                mine = Job.objects.filter(pk=job.pk, state=Job.State.RUNNING, attempts=job.attempts)
                step = "Queued again: the database did not answer"
                if mine.update(state=Job.State.WAITING, attempts=job.attempts - 1, step=step):
                    _enqueue(job)
            return
        except Exception as error:
            if not is_outage(error) or time.monotonic() > deadline:
                logger.warning("job %s could not be queued again: %s", job.pk, error)
                return
            time.sleep(0.5)


def recover() -> list[int]:
    """Take up every running job that lost its worker, and every waiting one that no queue has; give up after the last
    attempt. Returns their ids.
    """
    lost = _requeue_forgotten()
    for job in Job.objects.filter(state=Job.State.RUNNING):
        with connection.cursor() as cursor:
            cursor.execute("select pg_try_advisory_lock(%s, %s)", [LOCK_CLASS, job.pk])
            if not cursor.fetchone()[0]:
                continue
            cursor.execute("select pg_advisory_unlock(%s, %s)", [LOCK_CLASS, job.pk])
        # It may have ended between the two looks: only one that still runs is taken up.
        running = Job.objects.filter(pk=job.pk, state=Job.State.RUNNING, attempts=job.attempts)
        if job.attempts >= MOST_ATTEMPTS:
            running.update(
                state=Job.State.FAILED,
                ended_at=timezone.now(),
                reason=f"Its worker was stopped in the middle, {job.attempts} times; nothing of it was kept.",
                hint="Run it again when the machine has memory to spare.",
            )
        elif running.update(state=Job.State.WAITING, step="Started again after its worker stopped"):
            _enqueue(job)
        lost.append(job.pk)
    return lost


def _requeue_forgotten() -> list[int]:
    """Put waiting jobs into the queue whose entry was fetched by a worker that ended before it could begin."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select id from job where state = 'waiting' and created_at < now() - interval '20 seconds' and not exists "
            "(select from procrastinate_jobs q where q.task_name = 'run_job' and q.status = 'todo' and (q.args->>'job_id')::bigint = job.id)"
        )
        forgotten = [row[0] for row in cursor.fetchall()]
    for job in Job.objects.filter(pk__in=forgotten):
        _enqueue(job)
    return forgotten


def _run(job: Job, progress: Progress) -> str:
    """Do the work of a job; return the address of its result."""
    registry.check(job.kind, job.arguments)
    return registry.kind_of(job.kind).run(job, progress)


def _enqueue(job: Job) -> None:
    from indexa.jobs.tasks import run_job  # procrastinate's tasks need the apps to be ready

    run_job.defer(job_id=job.pk)
