"""What editions have to say on the desk."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.editions import services
from indexa.editions.models import Edition
from indexa.store.models import StoredModel
from indexa.ui.panels import panel

_MOST = 3
_WAITING = (Edition.State.DRAFT, Edition.State.REVIEW, Edition.State.SIGNED)


@panel("desk aside", order=20, template="editions/_desk.html")
def editions_of_area(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return what is not published yet, then the latest editions."""
    drafts = Edition.objects.filter(area=area, state__in=_WAITING)[:_MOST]
    published = Edition.objects.filter(area=area, state=Edition.State.PUBLISHED).order_by("-number")[:_MOST]
    editions = [*drafts, *published]
    return {"editions": editions} if editions else None


@panel("model", order=40, template="editions/_model.html")
def last_edition(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return the last published edition that tells of a model, and how many changes the model has since."""
    published = Edition.objects.filter(
        area_id=model.area_id, state=Edition.State.PUBLISHED, content__models__contains=[model.pk]
    )
    edition = published.order_by("-number").first()
    if edition is None:
        return None
    return {"edition": edition, "changes": services.changes_since(edition, [model.pk])}
