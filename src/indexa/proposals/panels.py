"""What proposals have to say on the desk."""

from __future__ import annotations

from typing import Any

from django.db.models import Count
from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.proposals.models import StoredProposal
from indexa.store.models import Layer
from indexa.ui.panels import panel


@panel("desk", order=40, template="proposals/_desk.html")
def models_with_proposals(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return the models with open proposals, and how many they have."""
    of_area = {"model__area": area, "model__layer": Layer.PHYSICAL, "state": StoredProposal.State.OPEN}
    found = StoredProposal.objects.filter(**of_area).values("model_id", "model__name")
    models = list(found.annotate(count=Count("pk")).order_by("model__name"))
    return {"models": models} if models else None
