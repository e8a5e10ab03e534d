"""The change script of a comparison: written, seen, saved, rehearsed and signed off."""

from __future__ import annotations

import re

import msgspec
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.jobs import services as jobs
from indexa.reconcile import scripts
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import KeptScript, ModelComparison


@require_POST
@in_area(Role.STEWARD)
def write(request: AreaRequest, pk: int) -> HttpResponse:
    """Write the script of what is decided to be kept."""
    made = get_object_or_404(ModelComparison.objects.select_related("model"), pk=pk, area=request.area)
    try:
        scripts.write(made=made, person=request.user, allow_drops="allow_drops" in request.POST)
    except ReconciliationError as error:
        messages.error(request, str(error))
        return redirect("reconcile:comparison", request.area.slug, pk)
    return redirect("reconcile:script", request.area.slug, pk)


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """The newest script of a comparison, step by step, with its rehearsal."""
    script = _script(request, pk)
    context = {
        "s": script,
        "c": script.comparison,
        "risks": scripts.risks_of(script),
        "bar": scripts.bar_of(script),
        "is_current": scripts.is_current(script),
        "may_sign": request.role >= Role.APPROVER,
        "filled": [step for step in script.steps if step["fill"]],
    }
    return render(request, "reconcile/script.html", context)


@require_GET
@in_area(Role.READER)
def file(request: AreaRequest, pk: int, form: str) -> HttpResponse:
    """The script, the one that takes it back, or the report of its steps, as a file."""
    script = _script(request, pk)
    name = re.sub(r"[^\w-]+", "-", script.comparison.model.name).strip("-") or "model"
    if form == "report":
        content = {
            "checksum": script.checksum, "steps": script.steps, "left as it is": script.left_as_it_is, "rehearsal": script.rehearsal,
        }  # fmt: skip
        response = HttpResponse(
            msgspec.json.format(msgspec.json.encode(content), indent=2), content_type="application/json"
        )
        response["Content-Disposition"] = f'attachment; filename="{name}-change-report.json"'
        return response
    text = script.revert if form == "revert" else script.text
    response = HttpResponse(text, content_type="application/sql; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{name}-{"revert" if form == "revert" else "change"}.sql"'
    return response


@require_POST
@in_area(Role.STEWARD)
def rehearse(request: AreaRequest, pk: int) -> HttpResponse:
    """Try the script out on a throw-away database, in a job."""
    script = _script(request, pk)
    title = f"Rehearsing the change script of {script.comparison.model.name}"
    job = jobs.start(area=request.area, kind="rehearse", title=title, person=request.user, script=script.pk)
    return redirect("jobs:page", request.area.slug, job.pk)


@require_POST
@in_area(Role.APPROVER)
def sign(request: AreaRequest, pk: int) -> HttpResponse:
    """Sign the script off, for exactly the text that was shown."""
    try:
        scripts.sign(script=_script(request, pk), person=request.user, checksum=request.POST.get("checksum", ""))
        messages.success(request, "Signed off. It holds for exactly this text.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("reconcile:script", request.area.slug, pk)


def _script(request: AreaRequest, pk: int) -> KeptScript:
    found = KeptScript.objects.filter(comparison_id=pk, comparison__area=request.area)
    script = found.select_related("comparison__model", "by", "signed_by").first()
    return script or get_object_or_404(found)
