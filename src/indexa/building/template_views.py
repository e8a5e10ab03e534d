"""The page of an area's DDL templates: written, tried on a real table, kept in versions, exported and imported."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import ddl_templates
from indexa.building.models import DdlTemplate
from indexa.core.ddl import templates
from indexa.core.ddl.script import Options
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.writing import write_ddl
from indexa.core.model import Model, Table
from indexa.store.loading import load_model
from indexa.store.models import Layer, StoredModel
from indexa.ui.parameters import parse_int

_MOST_TOLD = 6
_HOLDS: dict[str, Callable[[Table], bool]] = {
    "foreign key": lambda one: bool(one.foreign_keys),
    "index": lambda one: bool(one.indexes),
    "trigger": lambda one: bool(one.triggers),
    "view": lambda one: one.kind == "view",
    "comment": lambda one: bool(one.comment),
}
"""Which tables have a statement of a kind."""


def _anything(_: Table) -> bool:
    return True


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, kind: str = "table") -> HttpResponse:
    """The template of one kind of statement, with its versions and a list of all kinds."""
    if kind not in templates.KINDS:
        raise Http404
    kept = ddl_templates.in_force(request.area)
    versions = DdlTemplate.objects.filter(area=request.area, kind=kind).select_related("by")
    shown = versions.filter(number=parse_int(request.GET.get("version"))).first()
    current = kept.get(kind)
    context = {
        "kind": kind,
        "title": templates.KINDS[kind],
        "kinds": [(name, label, name in kept) for name, label in templates.KINDS.items()],
        "source": shown.source if shown else current.source if current else _plain(kind),
        "versions": versions[:20],
        "parts": templates.PARTS,
        "models": StoredModel.objects.filter(area=request.area, layer=Layer.PHYSICAL).order_by("name"),
    }
    return render(request, "building/templates.html", context)


def _plain(kind: str) -> str:
    return "" if kind in ("header", "footer") else "{{ statement }}"


@require_POST
@in_area(Role.STEWARD)
def preview(request: AreaRequest) -> HttpResponse:
    """What a template makes of a model's first statements of its kind, and whether the script still makes the same."""
    kind, source = request.POST.get("kind", ""), request.POST.get("source", "")
    found = StoredModel.objects.filter(area=request.area, layer=Layer.PHYSICAL, platform__in=list(TARGETS))
    stored = found.filter(pk=parse_int(request.POST.get("model"))).first() or found.order_by("pk").first()
    context: dict[str, Any] = {"kind": kind}
    try:
        templates.check(source)
        if stored is None:
            raise templates.TemplateProblem("There is no physical model to try it on.")
        small = _first_of(load_model(stored), kind)
        plain = write_ddl(small, stored.platform, Options())
        made = ddl_templates.write(stored, small, stored.platform, Options(), request.user, **{kind: source.strip()})
        context["text"] = _shown(made, kind)
        context["remarks"] = [one.what for one in made.remarks if one not in plain.remarks][:_MOST_TOLD]
        context["changed"] = templates.changed_meaning(stored.platform, plain, made)[:_MOST_TOLD]
    except templates.TemplateProblem as error:
        context["problem"] = str(error)
    return render(request, "building/_template_preview.html", context)


def _first_of(model: Model, kind: str) -> Model:
    """Return so much of a model that a statement of the kind comes up: some tables, and all that stands apart."""

    tables = [table for table in model.tables if _HOLDS.get(kind, _anything)(table)][:3]
    names = {(key.ref_schema, key.ref_table) for table in tables for key in table.foreign_keys}
    tables += [one for one in model.tables if (one.schema, one.name) in names and one not in tables]
    if kind == "view":
        tables = [one for one in model.tables if one.kind != "view"][:200] + tables
    return msgspec.structs.replace(model, tables=tables)


def _shown(script: Any, kind: str) -> str:
    if kind == "header":
        return str(script.header)
    if kind == "footer":
        return str(script.footer)
    return "\n".join(script.ended(one) for one in script.statements if one.kind == kind)[:4_000]


@require_POST
@in_area(Role.STEWARD)
def save(request: AreaRequest, kind: str) -> HttpResponse:
    """Keep a new version."""
    source = request.POST.get("source", "")
    try:
        source = "" if source.strip() == _plain(kind) else source
        made = ddl_templates.save(
            area=request.area, person=request.user, kind=kind, source=source, why=request.POST.get("why", "")
        )
        messages.success(request, f"Version {made.number} is in force for all scripts of the area.")
    except templates.TemplateProblem as error:
        messages.error(request, str(error))
    return redirect("building:template", request.area.slug, kind)


@require_GET
@in_area(Role.READER)
def export(request: AreaRequest) -> HttpResponse:
    """All templates in force, as a file."""
    response = HttpResponse(ddl_templates.exported(request.area), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="ddl-templates-{request.area.slug}.json"'
    return response


@require_POST
@in_area(Role.STEWARD)
def import_(request: AreaRequest) -> HttpResponse:
    """Keep the templates of a file as new versions."""
    file = request.FILES.get("file")
    try:
        if file is None or (file.size or 0) > ddl_templates.LARGEST_FILE:
            raise templates.TemplateProblem("Choose a file of templates of at most 500 kB.")
        count = ddl_templates.imported(area=request.area, person=request.user, content=file.read())
        messages.success(request, f"{count} template{'' if count == 1 else 's'} imported.")
    except templates.TemplateProblem as error:
        messages.error(request, str(error))
    return redirect("building:templates", request.area.slug)
