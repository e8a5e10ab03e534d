"""What proposals have to say on the desk."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db.models import Count
from django.http import HttpRequest
from django.urls import reverse

from indexa.areas.models import Area
from indexa.diagrams.asked import AskedRelationship, asks_relationships
from indexa.modeling.waiting import Waiting, waits_in_models
from indexa.proposals.models import StoredProposal
from indexa.store.models import Layer
from indexa.ui.panels import panel


@panel("desk", order=40, template="proposals/_desk.html")
def models_with_proposals(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return the models with open proposals, and how many they have."""
    models = _open_by_model(area)
    return {"models": models} if models else None


@waits_in_models
def proposals_of_models(area: Area) -> dict[int, Waiting]:
    """Return how many proposals of each model are open."""
    return {
        one["model_id"]: Waiting(
            f"{one['count']:,} proposal{'' if one['count'] == 1 else 's'}",
            reverse("proposals:page", args=[area.slug, one["model_id"]]),
        )
        for one in _open_by_model(area)
    }


@asks_relationships
def proposals_on_diagrams(area_slug: str, table_ids: Collection[int]) -> list[AskedRelationship]:
    """Return the open proposals of relationships between some tables, the likeliest for each set of columns."""
    found = StoredProposal.objects.filter(
        kind__in=["foreign_key", "typed_reference"],
        state=StoredProposal.State.OPEN,
        table_id__in=table_ids,
        ref_table_id__in=table_ids,
    ).order_by("-confidence", "pk")
    likeliest: dict[tuple[int, tuple[int, ...]], StoredProposal] = {}
    for one in found:
        likeliest.setdefault((one.table_id, tuple(one.column_ids)), one)
    return [
        AskedRelationship(
            f"p{one.pk}", one.table_id, one.ref_table_id or 0, tuple(one.columns), tuple(one.ref_columns), one.confidence,
            reverse("proposals:on-diagram", args=[area_slug, one.model_id, one.pk]),
        )
        for one in likeliest.values()
    ]  # fmt: skip


def _open_by_model(area: Area) -> list[dict[str, Any]]:
    of_area = {"model__area": area, "model__layer": Layer.PHYSICAL, "state": StoredProposal.State.OPEN}
    found = StoredProposal.objects.filter(**of_area).values("model_id", "model__name")
    return [dict(one) for one in found.annotate(count=Count("pk")).order_by("model__name")]
