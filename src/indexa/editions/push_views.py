"""Destinations of an area's editions, and pushing one."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.adapters.pushing import KINDS
from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.editions import pushing
from indexa.editions.models import Destination, Edition, Push
from indexa.editions.services import EditionError
from indexa.ui.parameters import parse_int

_LINES_A_PAGE = 500


@require_GET
@in_area(Role.READER)
def destinations(request: AreaRequest) -> HttpResponse:
    """All destinations, and what was pushed last."""
    found = Destination.objects.filter(area=request.area)
    pushes = Push.objects.filter(destination__area=request.area).select_related("destination", "edition", "by")[:30]
    context = {
        "destinations": [(one, KINDS[one.kind].label if one.kind in KINDS else one.kind) for one in found],
        "pushes": pushes, "kinds": KINDS.items(), "may_change": request.role >= Role.ADMINISTRATOR,
    }  # fmt: skip
    return render(request, "editions/destinations.html", context)


@require_http_methods(["GET", "POST"])
@in_area(Role.ADMINISTRATOR)
def destination_form(request: AreaRequest, pk: int = 0) -> HttpResponse:
    """Enter or change a destination: it is tried before it is saved."""
    found = get_object_or_404(Destination, pk=pk, area=request.area) if pk else None
    kind = found.kind if found else (request.POST or request.GET).get("kind", "catalog")
    given: dict[str, Any] = {
        "label": found.label if found else "", "address": found.address if found else "", "name": found.name if found else request.area.slug,
        "at_publication": found.at_publication if found else False,
    }  # fmt: skip
    failure = ""
    if request.method == "POST":
        given = {name: request.POST.get(name, "") for name in ("label", "address", "name")}
        given["at_publication"] = "at_publication" in request.POST
        try:
            made, answer = pushing.save(
                area=request.area, destination=found, kind=kind, secret=request.POST.get("secret", ""), **given
            )
            messages.success(request, f"{made.label} is saved. {answer}")
            return redirect("editions:destinations", request.area.slug)
        except EditionError as error:
            failure = str(error)
    context = {"destination": found, "kind": kind, "known": KINDS.get(kind), "given": given, "failure": failure}
    return render(request, "editions/destination.html", context, status=422 if failure else 200)


@require_GET
@in_area(Role.READER)
def pushed(request: AreaRequest, pk: int) -> HttpResponse:
    """What a push did with each file or dataset."""
    found = Push.objects.filter(destination__area=request.area).select_related("destination", "edition", "by")
    made = get_object_or_404(found, pk=pk)
    page = Paginator(made.details, _LINES_A_PAGE).get_page(request.GET.get("page"))
    return render(request, "editions/pushed.html", {"push": made, "page": page})


@require_POST
@in_area(Role.ADMINISTRATOR)
def remove(request: AreaRequest, pk: int) -> HttpResponse:
    """Remove a destination; what was pushed there stays there."""
    found = get_object_or_404(Destination, pk=pk, area=request.area)
    found.delete()
    messages.success(request, f"{found.label} is removed. What was pushed there stays there.")
    return redirect("editions:destinations", request.area.slug)


@require_http_methods(["GET", "POST"])
@in_area(Role.APPROVER)
def push(request: AreaRequest, pk: int) -> HttpResponse:
    """What pushing an edition to a destination would change; by POST it is pushed."""
    edition = get_object_or_404(Edition.objects.select_related("area", "made_by"), pk=pk, area=request.area)
    chosen = parse_int((request.POST or request.GET).get("destination"))
    destination = get_object_or_404(Destination, pk=chosen, area=request.area)
    try:
        if request.method == "POST":
            job = pushing.start(destination=destination, edition=edition, person=request.user)
            return redirect("jobs:page", request.area.slug, job.pk)
        outcome = pushing.plan(destination, edition)
    except EditionError as error:
        messages.error(request, str(error))
        return redirect("editions:page", request.area.slug, pk)
    context = {
        "edition": edition,
        "destination": destination,
        "outcome": outcome,
        "lines": outcome.details[:_LINES_A_PAGE],
    }
    return render(request, "editions/push.html", context)
