"""What sources have to say on the desk."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.sources.models import Intake, Schedule
from indexa.ui.panels import panel

_MOST = 5


@panel("desk", order=30, template="sources/_desk_schedules.html")
def late_schedules(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return schedules whose last reading came late or was skipped."""
    schedules = list(Schedule.objects.filter(source__area=area).exclude(message="").select_related("source"))
    return {"schedules": schedules} if schedules else None


@panel("desk aside", order=30, template="sources/_desk_readings.html")
def latest_readings(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return the latest readings."""
    found = Intake.objects.filter(source__area=area).select_related("source", "person").defer("snapshot")
    readings = list(found[:_MOST])
    return {"readings": readings} if readings else None
