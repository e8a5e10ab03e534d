"""Pages of objects written by hand: a form for each kind, on a model or on a table of it."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import objects
from indexa.core.building.objects import KINDS
from indexa.core.building.parts import BuildError
from indexa.store.models import StoredModel, StoredTable
from indexa.ui.parameters import parse_int


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def page(request: AreaRequest, pk: int, kind: str, object_pk: int = 0) -> HttpResponse:
    """The form of an object (GET); save it, or delete it (POST)."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    table = _table(model, parse_int(request.POST.get("table") or request.GET.get("table")))
    if kind not in objects.kinds_for(model, of_table=table is not None):
        raise Http404
    given: Any = _given(request, model, kind, object_pk, table)
    back = _back(request, model, table)
    context: dict[str, Any] = {
        "model": model,
        "table": table,
        "kind": kind,
        "word": KINDS[kind].word,
        "pk": object_pk,
        "back": back,
        "users": _users(model, kind, given) if object_pk else [],
    }
    if request.method == "POST":
        where: Any = {"area": request.area, "person": request.user, "model": model, "kind": kind, "table": table}
        try:
            if "delete" in request.POST:
                name = objects.delete(**where, pk=object_pk)
                messages.success(request, f"{name} is deleted. Press u to undo.")
            else:
                name = objects.save(**where, pk=object_pk, given=given)
                messages.success(request, f"{name} is saved. Press u to undo.")
            return redirect(back)
        except BuildError as error:
            context["problem"] = str(error)
    context["fields"] = [(field, given.get(field.name, "")) for field in KINDS[kind].fields]
    return render(request, "building/object.html", context, status=422 if "problem" in context else 200)


def _table(model: StoredModel, pk: int) -> StoredTable | None:
    return get_object_or_404(StoredTable, pk=pk, model=model, removed_at__isnull=True) if pk else None


def _given(request: AreaRequest, model: StoredModel, kind: str, pk: int, table: StoredTable | None) -> dict[str, str]:
    if request.method == "POST":
        return {field.name: request.POST.get(field.name, "").replace("\x00", "") for field in KINDS[kind].fields}
    if not pk:
        return {}
    found = objects.find(model, kind, pk, table)
    if found is None:
        raise Http404
    if kind == "view":
        return {"name": found.name, "schema": found.schema, "text": found.definition_sql}
    return KINDS[kind].told(found)


def _users(model: StoredModel, kind: str, given: dict[str, str]) -> list[str]:
    name, schema = given.get("name", ""), given.get("schema", "")
    return objects.in_use(model, kind, f"{schema}.{name}" if schema else name)


def _back(request: AreaRequest, model: StoredModel, table: StoredTable | None) -> str:
    if table is not None:
        return reverse("modeling:table", args=[request.area.slug, table.pk])
    return reverse("modeling:objects", args=[request.area.slug, model.pk])


@require_POST
@in_area(Role.STEWARD)
def add_schema(request: AreaRequest, pk: int) -> HttpResponse:
    """List a schema in a model."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    try:
        objects.add_schema(area=request.area, person=request.user, model=model, name=request.POST.get("name", ""))
    except BuildError as error:
        messages.error(request, str(error))
    return redirect("modeling:objects", request.area.slug, model.pk)
