"""The list of all names: filtered, written in place, out to a spreadsheet and back in for review."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from indexa.adapters.errors import SourceError
from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.naming.passes import name_sheet as all_names
from indexa.store.errors import EditError
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int

_ROWS_A_PAGE = 50
_UNMATCHED_SHOWN = 5
_LARGEST_SHEET = 50 * 1024 * 1024


@require_GET
@in_area(Role.READER)
def name_list(request: AreaRequest) -> HttpResponse:
    """All names of one model, each once."""
    models = list(StoredModel.objects.filter(area=request.area).order_by("-layer", "name"))
    wanted = parse_int(request.GET.get("model"))
    model = next((one for one in models if one.pk == wanted), models[0] if models else None)
    context: dict[str, Any] = {"models": models, "model": model, **_asked(request)}
    if model is not None:
        page = Paginator(all_names.find(model, context["q"], context["kind"], context["which"]), _ROWS_A_PAGE).get_page(
            request.GET.get("page")
        )
        kept = request.GET.copy()
        kept.pop("page", None)
        context |= {"page": page, "kept": kept.urlencode()}
    return render(request, "naming/all.html", context)


def _asked(request: AreaRequest) -> dict[str, str]:
    kind = request.GET.get("kind", "")
    return {
        "q": request.GET.get("q", "")[:200].strip(),
        "kind": kind if kind in ("table", "column") else "",
        "which": request.GET.get("which", ""),
    }


def _model(request: AreaRequest, pk: int) -> StoredModel:
    return get_object_or_404(StoredModel, pk=pk, area=request.area)


@require_POST
@in_area(Role.STEWARD)
def write(request: AreaRequest, pk: int) -> HttpResponse:
    """Write the business name of one name in all its places; answers with its row."""
    model = _model(request, pk)
    target, name = request.POST.get("target", ""), request.POST.get("name", "")
    failure = ""
    try:
        if target not in ("table", "column"):
            raise EditError("There is no such kind of name.")
        all_names.write(
            area=request.area,
            person=request.user,
            model=model,
            target=target,
            name=name,
            business_name=request.POST.get("business_name", ""),
        )
    except EditError as error:
        failure = str(error)
    row = next((one for one in all_names.find(model, name, target) if one.name == name), None)
    if row is None:
        raise Http404("The name is no longer there.")
    context = {
        "row": row,
        "model": model,
        "failure": failure,
        "number": parse_int(request.POST.get("number")),
        "saved": not failure,
    }
    return render(request, "naming/_all_row.html", context, status=422 if failure else 200)


@require_GET
@in_area(Role.READER)
def export(request: AreaRequest, pk: int, kind: str) -> HttpResponse:
    """The names as a spreadsheet or CSV, as filtered."""
    writers = {
        "csv": (all_names.as_csv, "text/csv; charset=utf-8"),
        "xlsx": (all_names.as_xlsx, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
    }
    if kind not in writers:
        raise Http404("There is no such kind of file.")
    model, asked = _model(request, pk), _asked(request)
    make, media_type = writers[kind]
    response = HttpResponse(
        make(all_names.find(model, asked["q"], asked["kind"], asked["which"])), content_type=media_type
    )
    response["Content-Disposition"] = f'attachment; filename="names-{pk}-{timezone.now():%Y-%m-%d}.{kind}"'
    return response


@require_POST
@in_area(Role.STEWARD)
def import_names(request: AreaRequest, pk: int) -> HttpResponse:
    """Import a filled-in spreadsheet: what people wrote into it becomes a pass to look through."""
    model, uploaded = _model(request, pk), request.FILES.get("sheet")
    names = f"{reverse('naming:all', args=[request.area.slug])}?model={pk}"
    if uploaded is None or (uploaded.size or 0) > _LARGEST_SHEET:
        messages.error(request, f"Choose the file, of up to {_LARGEST_SHEET // 1024 // 1024} MB.")
        return redirect(names)
    with tempfile.NamedTemporaryFile() as file:
        for chunk in uploaded.chunks():
            file.write(chunk)
        file.flush()
        try:
            sheet = all_names.read_sheet(uploaded.name or "sheet", Path(file.name))
        except SourceError as error:
            messages.error(request, f"{error.message} {error.hint}")
            return redirect(names)
    review = all_names.review(model=model, person=request.user, sheet=sheet)
    if review.unmatched:
        count, first = len(review.unmatched), ", ".join(review.unmatched[:_UNMATCHED_SHOWN])
        more = ", …" if count > _UNMATCHED_SHOWN else ""
        messages.warning(
            request,
            f"{count:,} name{'' if count == 1 else 's'} of the file not in {model.name}, or locked: {first}{more}.",
        )
    if review.naming_pass is None:
        messages.success(request, "The file says nothing that differs from the model.")
        return redirect(names)
    if review.conflicts:
        words = "name was" if review.conflicts == 1 else "names were"
        messages.warning(
            request, f"{review.conflicts:,} {words} changed in the model since the export: decide on these."
        )
    messages.success(request, "Look the names through, then apply them.")
    return redirect("naming:pass-names", request.area.slug, review.naming_pass.pk)
