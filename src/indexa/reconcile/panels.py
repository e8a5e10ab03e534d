"""What later readings have to say on the desk and on the page of their source."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Q
from django.http import HttpRequest
from django.urls import reverse

from indexa.areas.models import Area, Role
from indexa.modeling.waiting import Waiting, waits_in_models
from indexa.reconcile.models import ChangeAccess, DriftWatch, Reconciliation
from indexa.reconcile.running import can_be_allowed
from indexa.sources.models import Source
from indexa.store.models import StoredModel
from indexa.ui.panels import panel


@panel("model", order=5, template="reconcile/_model_reconcile.html")
def way_to_compare(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return the model that can be compared."""
    return {"model": model}


@panel("desk", order=20, template="reconcile/_desk.html")
def readings_to_decide(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return later readings whose differences wait for a decision, with their counts."""
    found = Reconciliation.objects.filter(source__area=area, state=Reconciliation.State.WAITING)
    conflicts = Q(differences__decision="later") & ~Q(differences__conflict="")
    counted = found.annotate(count=_undecided(), conflicts=Count("differences", filter=conflicts))
    readings = list(counted.select_related("source"))
    return {"readings": readings} if readings else None


@waits_in_models
def differences_of_models(area: Area) -> dict[int, Waiting]:
    """Return how many differences a later reading of each model found that wait."""
    found = Reconciliation.objects.filter(source__area=area, state=Reconciliation.State.WAITING)
    return {
        one.model_id: Waiting(
            f"{one.count:,} difference{'' if one.count == 1 else 's'}",
            reverse("reconcile:page", args=[area.slug, one.pk]),
        )
        for one in found.annotate(count=_undecided())
    }


def _undecided() -> Count:
    return Count("differences", filter=~Q(differences__decision="keep"))


@panel("source", order=10, template="reconcile/_source.html")
def reading_of_source(request: HttpRequest, source: Source) -> dict[str, Any] | None:
    """Return the reading of a source that waits for a decision."""
    found = Reconciliation.objects.filter(source=source, state=Reconciliation.State.WAITING)
    reading = found.annotate(count=_undecided()).first()
    return {"reading": reading, "source": source} if reading else None


@panel("desk", order=22, template="reconcile/_desk_drift.html")
def open_drift(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return watched sources with drift that nobody accepted as known."""
    open_ = Count("findings", filter=Q(findings__accepted_at__isnull=True))
    found = DriftWatch.objects.filter(source__area=area).select_related("source__model").annotate(count=open_)
    drifting = [one for one in found.order_by("source__name") if one.count]
    return {"watches": drifting} if drifting else None


@panel("source aside", order=5, template="reconcile/_source_drift.html")
def drift_of_source(request: HttpRequest, source: Source) -> dict[str, Any] | None:
    """Return whether a source is watched, and how far it is from its model."""
    if source.model_id is None or source.is_upload:
        return None
    open_ = Count("findings", filter=Q(findings__accepted_at__isnull=True))
    return {"source": source, "watch": DriftWatch.objects.filter(source=source).annotate(count=open_).first()}


@panel("source aside", order=10, template="reconcile/_source_access.html")
def change_access(request: HttpRequest, source: Source) -> dict[str, Any] | None:
    """Return whether change scripts may be run on a source, and by whose permission."""
    if not can_be_allowed(source):
        return None
    access = ChangeAccess.objects.select_related("allowed_by").filter(source=source).first()
    role = getattr(request, "role", Role.READER)
    return {"access": access, "source": source, "may_allow": role >= Role.ADMINISTRATOR}
