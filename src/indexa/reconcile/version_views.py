"""The versions of a model: kept, seen in words beside each other, saved as a file, restored."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.building.parts import BuildError
from indexa.core.compare.notes import change_notes
from indexa.core.model import file
from indexa.reconcile import versions
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ModelBranch, ModelVersion
from indexa.store.models import StoredModel
from indexa.store.storing import read_snapshot
from indexa.ui.parameters import parse_int

_SHOWN = 500


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """All versions, and what changed between two of them; without a choice since the last one."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    found = list(ModelVersion.objects.filter(model=model).select_related("by", "snapshot").defer("snapshot__content"))
    by_number = {one.number: one for one in found}
    before = by_number.get(parse_int(request.GET.get("from"))) or (found[0] if found else None)
    after = by_number.get(parse_int(request.GET.get("to")))
    differences = versions.differences_between(model, before, after) if before is not None else []
    context = {
        "model": model,
        "versions": found,
        "before": before,
        "after": after,
        "notes": change_notes(differences),
        "differences": differences[:_SHOWN],
        "branches": ModelBranch.objects.filter(origin=model).select_related("model", "by"),
        "branch": ModelBranch.objects.filter(model=model).select_related("origin", "by").first(),
        "more": max(0, len(differences) - _SHOWN),
    }
    return render(request, "reconcile/versions.html", context)


@require_POST
@in_area(Role.STEWARD)
def keep(request: AreaRequest, pk: int) -> HttpResponse:
    """Keep the model as it is under a name."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    try:
        made = versions.keep_version(
            model=model, person=request.user, label=request.POST.get("label", ""), note=request.POST.get("note", "")
        )
        messages.success(request, f"Kept as version {made.number}.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("reconcile:versions", request.area.slug, pk)


@require_GET
@in_area(Role.READER)
def version_file(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """A version as a model file."""
    version = _version(request, pk, number)
    response = HttpResponse(file.write(read_snapshot(version.snapshot)), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="version-{number}.json"'
    return response


@require_POST
@in_area(Role.STEWARD)
def restore(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """Bring the model back to a version."""
    try:
        count = versions.restore(area=request.area, person=request.user, version=_version(request, pk, number))
        messages.success(request, f"Version {number} is restored: {count:,} differences. Press u to undo.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("reconcile:versions", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def branch(request: AreaRequest, pk: int) -> HttpResponse:
    """Copy the model to work on apart."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    try:
        made = versions.branch(area=request.area, person=request.user, model=model, name=request.POST.get("name", ""))
    except (ReconciliationError, BuildError) as error:
        messages.error(request, str(error))
        return redirect("reconcile:versions", request.area.slug, pk)
    messages.success(request, f"{made.name} is a branch of {model.name}. Bring its changes back from Versions.")
    return redirect("modeling:overview", request.area.slug, made.pk)


def _version(request: AreaRequest, pk: int, number: int) -> ModelVersion:
    found = ModelVersion.objects.select_related("model", "snapshot")
    return get_object_or_404(found, model_id=pk, number=number, model__area=request.area)
