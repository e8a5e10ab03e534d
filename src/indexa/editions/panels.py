"""What editions have to say on the desk."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.editions.models import Edition
from indexa.ui.panels import panel

_MOST = 3


@panel("desk aside", order=20, template="editions/_desk.html")
def editions_of_area(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return drafts that wait for an approver, then the latest editions."""
    drafts = Edition.objects.filter(area=area, state=Edition.State.DRAFT)
    published = Edition.objects.filter(area=area, state=Edition.State.PUBLISHED).order_by("-number")[:_MOST]
    editions = [*drafts, *published]
    return {"editions": editions} if editions else None
