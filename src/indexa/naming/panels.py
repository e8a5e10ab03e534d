"""What names have to say on the desk, and on the pages of a model and of a table."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Q, QuerySet
from django.http import HttpRequest
from django.urls import reverse

from indexa.areas.models import Area
from indexa.modeling.waiting import Waiting, waits_in_models
from indexa.naming.passes.models import NamingPass
from indexa.naming.standards import services as standards
from indexa.naming.standards.models import NameFinding, Waiver
from indexa.store.models import StoredModel, StoredTable
from indexa.ui.panels import panel

_MOST_PASSES, _MOST_FINDINGS = 6, 50


@panel("desk", order=50, template="naming/_desk.html")
def names_waiting(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return open passes with words that wait, and the findings of each model."""
    findings = standards.open_findings(area)
    models = {model.pk: model for model in StoredModel.objects.filter(pk__in=findings)}
    passes = list(_waiting_passes(area)[:_MOST_PASSES])
    if not passes and not findings:
        return None
    return {"passes": passes, "findings": [(models[pk], count) for pk, count in sorted(findings.items())]}


def _waiting_passes(area: Area) -> QuerySet[Any]:
    found: QuerySet[Any] = NamingPass.objects.filter(model__area=area, state=NamingPass.State.OPEN).select_related(
        "model"
    )
    counted: QuerySet[Any] = found.annotate(waiting=Count("words", filter=~Q(words__state="settled")))
    return counted.filter(waiting__gt=0)


@waits_in_models
def words_of_models(area: Area) -> dict[int, Waiting]:
    """Return how many words wait in the latest open pass of each model."""
    return {
        one.model_id: Waiting(
            f"{one.waiting:,} word{'' if one.waiting == 1 else 's'} to decide",
            reverse("naming:pass", args=[area.slug, one.pk]),
        )
        for one in _waiting_passes(area).order_by("pk")
    }


@waits_in_models
def findings_of_models(area: Area) -> dict[int, Waiting]:
    """Return how many naming findings of each model nobody waived."""
    address = reverse("naming:findings", args=[area.slug])
    return {
        pk: Waiting(f"{count:,} naming finding{'' if count == 1 else 's'}", f"{address}?model={pk}")
        for pk, count in standards.open_findings(area).items()
        if count
    }


@panel("model", order=10, template="naming/_model.html")
def findings_of_model(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return how many findings nobody waived; None where no standard governs the model."""
    if not standards.standard_of(model):
        return None
    return {"model": model, "findings": standards.open_findings(model.area).get(model.pk, 0)}


@panel("table", order=10, template="naming/_table.html", anchor="names", label="Names")
def findings_of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the findings of a table and what is in it that nobody waived."""
    found = NameFinding.objects.filter(
        model_id=table.model_id, table_name=table.name, place__startswith=table.full_name
    )
    waived = Waiver.objects.filter(model_id=table.model_id).values("fingerprint")
    findings = list(found.exclude(fingerprint__in=waived).order_by("rule", "place")[:_MOST_FINDINGS])
    return {"findings": findings, "count": len(findings)} if findings else None
