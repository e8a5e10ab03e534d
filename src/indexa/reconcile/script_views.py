"""The change script of a comparison: written, seen, saved, rehearsed and signed off."""

from __future__ import annotations

import re

import msgspec
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.jobs import services as jobs
from indexa.reconcile import running, scripts
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ChangeAccess, KeptScript, ModelComparison, ScriptRun
from indexa.sources.models import Source
from indexa.ui.parameters import parse_int


@require_POST
@in_area(Role.STEWARD)
def write(request: AreaRequest, pk: int) -> HttpResponse:
    """Write the script of what is decided to be kept."""
    made = get_object_or_404(ModelComparison.objects.select_related("model"), pk=pk, area=request.area)
    try:
        scripts.write(
            made=made, person=request.user, allow_drops="allow_drops" in request.POST, online="online" in request.POST
        )
    except ReconciliationError as error:
        messages.error(request, str(error))
        return redirect("reconcile:comparison", request.area.slug, pk)
    return redirect("reconcile:script", request.area.slug, pk)


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """The newest script of a comparison, step by step, with its rehearsal."""
    script = _script(request, pk)
    runs = list(script.runs.select_related("by", "job"))
    for run in runs:
        running.settle(run)
    context = {
        "s": script,
        "runs": runs,
        "why_not_run": running.why_not(script),
        "access": ChangeAccess.objects.filter(source=script.comparison.source).first(),
        "may_run": request.role >= Role.APPROVER,
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
    text = (script.revert_as_core if form == "revert" else script.as_core).text()
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


@require_POST
@in_area(Role.STEWARD)
def fill_in(request: AreaRequest, pk: int) -> HttpResponse:
    """Put the value into the script that a step waits for."""
    number = parse_int(request.POST.get("step"), 0)
    try:
        scripts.fill_in(script=_script(request, pk), number=number, expression=request.POST.get("value", ""))
        messages.success(request, f"Step {number} fills the rows now. Rehearse the script again.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect(f"{reverse('reconcile:script', args=[request.area.slug, pk])}#step-{number}")


@require_POST
@in_area(Role.APPROVER)
def run(request: AreaRequest, pk: int) -> HttpResponse:
    """Run the signed script on the source that was compared, in a job."""
    given = request.POST
    try:
        started = running.start(
            script=_script(request, pk), person=request.user, checksum=given.get("checksum", ""), confirmed=given.get("confirmed", "")
        )  # fmt: skip
    except ReconciliationError as error:
        messages.error(request, str(error))
        return redirect("reconcile:script", request.area.slug, pk)
    assert started.job is not None
    return redirect("jobs:page", request.area.slug, started.job.pk)


@require_GET
@in_area(Role.READER)
def run_page(request: AreaRequest, pk: int) -> HttpResponse:
    """What a run did, step by step."""
    found = ScriptRun.objects.select_related("script__comparison__model", "source", "by", "job")
    shown = get_object_or_404(found, pk=pk, script__comparison__area=request.area)
    running.settle(shown)
    return render(request, "reconcile/run.html", {"r": shown, "c": shown.script.comparison, "limits": running.LIMITS})


@require_POST
@in_area(Role.ADMINISTRATOR)
def allow(request: AreaRequest, pk: int) -> HttpResponse:
    """Allow or forbid change scripts on a source."""
    source = get_object_or_404(Source, pk=pk, area=request.area)
    try:
        if request.POST.get("allowed") == "1":
            login, password = request.POST.get("login", "").strip(), request.POST.get("password", "")
            running.allow(source=source, person=request.user, login=login, password=password)
            messages.success(request, f"Approvers may run signed change scripts on {source.name} from now on.")
        else:
            running.forbid(source=source)
            messages.success(request, f"No script is run on {source.name} any more.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("sources:page", request.area.slug, pk)


def _script(request: AreaRequest, pk: int) -> KeptScript:
    found = KeptScript.objects.filter(comparison_id=pk, comparison__area=request.area)
    script = found.select_related("comparison__model", "comparison__source", "by", "signed_by").first()
    return script or get_object_or_404(found)
