"""Reviews and comments in margins, and on the desk."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.reviewing.models import Notice, Review
from indexa.reviewing.views import shown
from indexa.store.models import StoredColumn, StoredTable
from indexa.ui.panels import panel

_MOST = 8


@panel("column margin", order=3, template="reviewing/_review.html")
@panel("column margin", order=30, template="reviewing/_comments.html")
def of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return the review and the comments of a column."""
    return shown(request, column)


@panel("table margin", order=3, template="reviewing/_review.html")
@panel("table margin", order=30, template="reviewing/_comments.html")
def of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the review and the comments of a table."""
    return shown(request, table)


@panel("desk", order=5, template="reviewing/_desk.html")
def waiting_for_me(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return what somebody is told, definitions that wait for a review, and own ones that were returned."""
    notices = list(Notice.objects.filter(person=request.user.pk, area=area, seen_at__isnull=True)[:_MOST])
    reviews = Review.objects.filter(area=area, state=Review.State.PROPOSED)
    waiting = reviews.exclude(proposed_by=request.user.pk).count()
    return {"notices": notices, "waiting": waiting} if notices or waiting else None
