"""The page of what speaks against a model's structure."""

from __future__ import annotations

from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import checks
from indexa.building.models import RuleWeight
from indexa.core.building.parts import BuildError
from indexa.core.checks.structure import BY_ID
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int

_SHOWN = 500


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """All faults of a model, or those of one rule."""
    model = get_object_or_404(StoredModel.objects.select_related("logical"), pk=pk, area=request.area)
    checked = checks.check(model)
    rule = request.GET.get("rule", "") if request.GET.get("rule", "") in BY_ID else ""
    faults = [fault for fault in checked.faults if not rule or fault.rule == rule]
    context = {
        "model": model,
        "rules": checked.rules,
        "rule": BY_ID.get(rule),
        "faults": [(fault, BY_ID[fault.rule], fault.id.removeprefix("t")) for fault in faults[:_SHOWN]],
        "count": len(faults),
        "total": len(checked.faults),
        "more": max(0, len(faults) - _SHOWN),
        "waived": [(fault, waiver) for fault, waiver in checked.waived if not rule or fault.rule == rule],
        "weights": RuleWeight.Weight.choices,
    }
    return render(request, "building/checks.html", context)


@require_POST
@in_area(Role.STEWARD)
def decide(request: AreaRequest, pk: int) -> HttpResponse:
    """Let a fault stand, have one count again, or set how much a rule weighs in the area."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    given = request.POST
    try:
        if "weight" in given:
            checks.weigh(area=request.area, rule=given.get("of", ""), weight=given.get("weight", ""))
        elif waiver := parse_int(given.get("again")):
            checks.count_again(model=model, waiver_id=waiver)
        else:
            checks.let_stand(
                model=model, person=request.user, fingerprint=given.get("fault", ""), reason=given.get("reason", "")
            )
    except BuildError as error:
        messages.error(request, str(error))
    address = reverse("building:checks", args=[request.area.slug, pk])
    rule = given.get("rule", "")
    return redirect(f"{address}?{urlencode({'rule': rule})}" if rule in BY_ID else address)
