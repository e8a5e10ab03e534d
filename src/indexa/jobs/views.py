"""Jobs: the small ring in the top bar, and a page for each that can be left and come back to."""

from __future__ import annotations

import msgspec
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.jobs import services
from indexa.jobs.models import Job
from indexa.jobs.registry import UnknownJobKindError


@require_GET
@in_area(Role.READER)
def running(request: AreaRequest) -> HttpResponse:
    """The fragment in the top bar: the newest job that runs or waits."""
    jobs = Job.objects.filter(area=request.area, state__in=[Job.State.WAITING, Job.State.RUNNING])
    return render(request, "jobs/_running.html", {"job": jobs.order_by("-state", "pk").first()})


@require_GET
@in_area(Role.READER)
def job_list(request: AreaRequest) -> HttpResponse:
    """The latest jobs of the area."""
    jobs = Job.objects.filter(area=request.area).select_related("started_by")[:100]
    return render(request, "jobs/list.html", {"jobs": jobs})


@require_GET
@in_area(Role.READER)
def job_page(request: AreaRequest, pk: int) -> HttpResponse:
    """One job; the fragment of it while the page watches."""
    job = get_object_or_404(Job.objects.select_related("started_by"), pk=pk, area=request.area)
    waits_long = job.state == Job.State.WAITING and (timezone.now() - job.created_at).total_seconds() > 20
    template = "jobs/_job.html" if getattr(request, "htmx", False) else "jobs/page.html"
    response = render(request, template, {"job": job, "waits_long": waits_long})
    if getattr(request, "htmx", False) and job.state == Job.State.DONE and job.result_url:
        response["HX-Redirect"] = job.result_url
    return response


@require_POST
@in_area(Role.STEWARD)
def cancel(request: AreaRequest, pk: int) -> HttpResponse:
    """Call a job off."""
    services.cancel(get_object_or_404(Job, pk=pk, area=request.area))
    return redirect("jobs:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def run_again(request: AreaRequest, pk: int) -> HttpResponse:
    """Start a job once more that did not end well."""
    job = get_object_or_404(Job, pk=pk, area=request.area)
    try:
        job = services.run_again(job)
    except (UnknownJobKindError, msgspec.ValidationError):
        messages.error(
            request, "This job is of an earlier version and can't be run again. Start it anew from its page."
        )
    return redirect("jobs:page", request.area.slug, job.pk)


@require_GET
@in_area(Role.READER)
def download(request: AreaRequest, pk: int) -> HttpResponse:
    """The file that a job made, for the person who started it."""
    job = get_object_or_404(Job, pk=pk, area=request.area, started_by=request.user, file__isnull=False)
    response = HttpResponse(bytes(job.file.content), content_type=job.file.media_type)
    response["Content-Disposition"] = f'attachment; filename="{job.file.name}"'
    return response
