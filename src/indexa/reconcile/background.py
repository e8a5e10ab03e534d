"""The work that this app does in the background."""

from __future__ import annotations

from django.urls import reverse

from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.reconcile import comparing, running, scripts
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.services import apply
from indexa.store.errors import EditError


class ApplyArguments(Arguments):
    """Which later reading is applied."""

    reconciliation: int


@background("apply reading", ApplyArguments)
def apply_in_background(job: Job, progress: Progress) -> str:
    """Apply what was decided about a later reading to its model."""
    number = job.arguments["reconciliation"]
    try:
        apply(area=job.area, person=job.started_by, reconciliation_id=number, progress=progress)
    except (ReconciliationError, EditError) as error:
        raise JobFailedError(str(error)) from error
    return reverse("reconcile:page", args=[job.area.slug, number])


__all__ = ["apply_in_background", "comparing", "running", "scripts"]
