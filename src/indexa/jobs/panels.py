"""What the jobs of an area have to say on its desk."""

from __future__ import annotations

from typing import Any

from django.db.models import Exists, OuterRef
from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.jobs.models import Job
from indexa.ui.panels import panel

_MOST = 5


@panel("desk", order=10, template="jobs/_desk.html")
def failed_jobs(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return jobs that failed lately and were not run again since."""
    later = Job.objects.filter(area=area, kind=OuterRef("kind"), title=OuterRef("title"), pk__gt=OuterRef("pk"))
    failed = Job.objects.filter(area=area, state=Job.State.FAILED)
    jobs = list(failed.exclude(Exists(later)).order_by("-pk")[:_MOST])
    return {"jobs": jobs} if jobs else None
