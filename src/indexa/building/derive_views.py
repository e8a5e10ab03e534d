"""Choosing how the physical model of a logical one is made."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import deriving
from indexa.building.models import DerivePreset
from indexa.core import platforms
from indexa.core.building.parts import BuildError
from indexa.core.ddl.targets import TARGETS
from indexa.core.logical.options import ENUMS, NUMBERING, SUBTYPES
from indexa.naming.standards.models import StoredStandard
from indexa.store.models import Layer, StoredModel
from indexa.ui.parameters import parse_int

_CHOICES = (
    ("enums", "Lists of values are", ENUMS),
    ("numbering", "Keys of one number are", NUMBERING),
    ("subtypes", "Subtypes are", SUBTYPES),
)
_KEPT = ("platform", "schema", "standard", *(name for name, _, _ in _CHOICES))


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def derive(request: AreaRequest, pk: int) -> HttpResponse:
    """Choose platform, standard and options (a preset fills them in), and have the physical model made."""
    logical = get_object_or_404(StoredModel, pk=pk, area=request.area, layer=Layer.LOGICAL)
    presets = DerivePreset.objects.filter(area=request.area)
    preset = presets.filter(pk=parse_int(request.GET.get("preset"))).first()
    given: Any = request.POST or {"platform": "postgresql"} | (preset.choices if preset else {})
    context = {
        "model": logical,
        "platforms": [(name, platforms.label_of(name)) for name in sorted(TARGETS)],
        "standards": StoredStandard.objects.filter(area=request.area),
        "given": given,
        "choices": [(name, label, values, given.get(name, "")) for name, label, values in _CHOICES],
        "presets": presets,
        "preset": preset,
        "made": logical.physical_models.order_by("name"),
    }
    if request.method == "GET":
        return render(request, "building/derive.html", context)
    try:
        job = deriving.start(
            area=request.area, person=request.user, logical=logical, platform=request.POST.get("platform", ""),
            name=request.POST.get("name", "") or f"{logical.name} {request.POST.get('platform', '')}",
            schema=request.POST.get("schema", ""), standard=parse_int(request.POST.get("standard")),
            options={name: request.POST.get(name, "") for name, _, _ in _CHOICES},
        )  # fmt: skip
    except BuildError as error:
        messages.error(request, str(error))
        return render(request, "building/derive.html", context, status=422)
    if name := " ".join(request.POST.get("preset_name", "").replace("\x00", "").split())[:80]:
        choices = {field: request.POST.get(field, "")[:100] for field in _KEPT}
        DerivePreset.objects.update_or_create(area=request.area, name=name, defaults={"choices": choices})
    return redirect("jobs:page", request.area.slug, job.pk)
