"""What models have to say on the desk."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Area
from indexa.modeling import queries
from indexa.store.models import Layer, StoredModel
from indexa.ui.panels import panel


@panel("desk aside", order=10, template="modeling/_desk.html")
def models_of_area(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return each physical model with what it holds and how far it is described."""
    models = list(StoredModel.objects.filter(area=area, layer=Layer.PHYSICAL))
    coverage = queries.coverage(models)
    return {"models": [(model, coverage[model.pk]) for model in models]} if models else None
