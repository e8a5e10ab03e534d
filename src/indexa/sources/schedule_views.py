"""What the margin of a source sets: when it is read on its own, and whether its rows may be sampled."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from indexa.areas.models import Person, Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.sources import schedules
from indexa.sources.models import Schedule, Source
from indexa.ui.time_zones import COOKIE, zone_of

_OFTEN = {"daily": "{minute} {hour} * * *", "weekly": "{minute} {hour} * * 1"}


@require_POST
@in_area(Role.STEWARD)
def schedule(request: AreaRequest, pk: int) -> HttpResponse:
    """Save or end a source's schedule."""
    source = get_object_or_404(Source, pk=pk, area=request.area, kind__in=[Source.Kind.LIVE, Source.Kind.FILE])
    zone = zone_of(request.COOKIES.get(COOKIE, ""))
    often = request.POST.get("often", "")
    if often == "never":
        Schedule.objects.filter(source=source).delete()
        messages.success(request, f"{source.name} is read only when somebody asks for it.")
        return redirect("sources:page", request.area.slug, pk)
    try:
        cron = _cron(often, request.POST.get("at", ""), request.POST.get("cron", "")[:100])
        watchers = Person.objects.filter(pk__in=[one for one in request.POST.getlist("watchers") if one.isdigit()])
        kept = schedules.save(source=source, cron=cron, watchers=watchers, person=request.user, time_zone=zone)
    except schedules.ScheduleError as error:
        messages.error(request, f"Not saved: {error}")
    else:
        messages.success(request, f"{source.name} is read next on {kept.next_at.astimezone(zone):%-d %b %Y at %H:%M}.")
    return redirect("sources:page", request.area.slug, pk)


def _cron(often: str, at: str, own: str) -> str:
    if often not in _OFTEN:
        return own
    hour, _, minute = at.partition(":")
    if not (hour.isdigit() and minute.isdigit() and int(hour) < 24 and int(minute) < 60):
        raise schedules.ScheduleError(f"“{at}” is no time of day. Write it as 05:30.")
    return _OFTEN[often].format(minute=int(minute), hour=int(hour))


@require_POST
@in_area(Role.STEWARD)
def allow_rows(request: AreaRequest, pk: int) -> HttpResponse:
    """Allow or forbid that proposals sample a source's rows."""
    source = get_object_or_404(Source, pk=pk, area=request.area)
    source.asks_rows = request.POST.get("asks_rows") == "1"
    source.save(update_fields=["asks_rows"])
    messages.success(
        request,
        "Proposals may sample its rows from now on." if source.asks_rows else "Its rows are no longer looked at.",
    )
    return redirect("sources:page", request.area.slug, pk)
