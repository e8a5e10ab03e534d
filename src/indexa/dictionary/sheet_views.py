"""Sheets that come back: handed in, looked through cell by cell, taken or not."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Count, Q
from django.http import FileResponse, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.dictionary import sheets
from indexa.dictionary.models import SheetCell, SheetReview
from indexa.store.errors import EditError
from indexa.ui.parameters import parse_int

_CELLS_A_PAGE = 200


@require_GET
@in_area(Role.STEWARD)
def sheet_list(request: AreaRequest) -> HttpResponse:
    """Sheets that were handed in, and a form for another one."""
    found = SheetReview.objects.filter(area=request.area).select_related("by").defer("file")
    counted = found.annotate(count=Count("cells")).order_by("-pk")
    return render(request, "dictionary/sheets.html", {"page": Paginator(counted, 30).get_page(request.GET.get("page"))})


@require_GET
@in_area(Role.STEWARD)
def export_all(request: AreaRequest, kind: str) -> HttpResponseBase:
    """All terms or codes as a sheet to edit."""
    stream = sheets.export_all(area=request.area, person=request.user, kind=kind)
    name = f"{kind}-{request.area.slug}-{timezone.now():%Y-%m-%d}.xlsx"
    return FileResponse(stream, as_attachment=True, filename=name)


@require_POST
@in_area(Role.STEWARD)
def hand_in(request: AreaRequest) -> HttpResponse:
    """Take a sheet that came back."""
    file = request.FILES.get("file")
    if file is None:
        messages.error(request, "Choose the sheet first.")
        return redirect("dictionary:sheets", request.area.slug)
    try:
        review, job = sheets.hand_in(area=request.area, person=request.user, file=file)
    except EditError as error:
        messages.error(request, str(error))
        return redirect("dictionary:sheets", request.area.slug)
    if job is not None:
        return redirect("jobs:page", request.area.slug, job.pk)
    return redirect("dictionary:sheet", request.area.slug, review.pk)


@require_GET
@in_area(Role.STEWARD)
def sheet(request: AreaRequest, pk: int) -> HttpResponse:
    """What was written into a sheet, each cell with what it was and is."""
    review = _review(request, pk)
    show = request.GET.get("show", "")
    cells = review.cells.all()
    if show == "conflicts":
        cells = cells.filter(conflict=True)
    elif show == "problems":
        cells = cells.exclude(problem="")
    context = _head(review) | {"page": Paginator(cells, _CELLS_A_PAGE).get_page(request.GET.get("page")), "show": show}
    return render(request, "dictionary/sheet.html", context)


def _head(review: SheetReview) -> dict[str, Any]:
    counts = review.cells.aggregate(
        all=Count("pk"), conflicts=Count("pk", filter=Q(conflict=True)), problems=Count("pk", filter=~Q(problem="")),
        take=Count("pk", filter=Q(decision=SheetCell.Decision.TAKE, problem="")),
    )  # fmt: skip
    return {"r": review, "counts": counts, "is_open": review.state == SheetReview.State.WAITING}


@require_POST
@in_area(Role.STEWARD)
def decide(request: AreaRequest, pk: int) -> HttpResponse:
    """Decide one cell, or all that are shown."""
    review = _review(request, pk)
    number, show = parse_int(request.POST.get("number"), -1), request.POST.get("show", "")
    try:
        sheets.decide(
            review=review, numbers=[number] if number >= 0 else None, decision=request.POST.get("decision", ""), only=show
        )  # fmt: skip
    except EditError as error:
        messages.error(request, str(error))
    if number >= 0 and getattr(request, "htmx", False):
        cell = get_object_or_404(review.cells, number=number)
        return render(
            request, "dictionary/_sheet_cell.html", _head(review) | {"c": cell, "show": show, "fragment": True}
        )
    return redirect(reverse("dictionary:sheet", args=[request.area.slug, pk]) + (f"?show={show}" if show else ""))


@require_POST
@in_area(Role.STEWARD)
def apply(request: AreaRequest, pk: int) -> HttpResponse:
    """Write what is to be taken."""
    try:
        count = sheets.apply(review=_review(request, pk), person=request.user)
        messages.success(request, f"{count:,} cell{'' if count == 1 else 's'} taken. Press u to undo.")
    except EditError as error:
        messages.error(request, str(error))
    return redirect("dictionary:sheet", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def discard(request: AreaRequest, pk: int) -> HttpResponse:
    """Take nothing of the sheet."""
    sheets.discard(_review(request, pk))
    messages.success(request, "Nothing of the sheet was taken.")
    return redirect("dictionary:sheets", request.area.slug)


def _review(request: AreaRequest, pk: int) -> SheetReview:
    found = SheetReview.objects.select_related("by", "export__person").defer("file", "export__content")
    return get_object_or_404(found, pk=pk, area=request.area)
