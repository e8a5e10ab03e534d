"""Reading code lists from the lookup tables of a source."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from indexa.adapters.code_tables import MOST_ROWS
from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.sources import code_tables
from indexa.sources.models import Source
from indexa.store.errors import EditError
from indexa.ui.parameters import parse_ints


@require_POST
@in_area(Role.ADMINISTRATOR)
def allow(request: AreaRequest, pk: int) -> HttpResponse:
    """Allow or forbid that lookup tables of a source are read."""
    source = get_object_or_404(Source, pk=pk, area=request.area)
    source.reads_codes = request.POST.get("allowed") == "1"
    source.save(update_fields=["reads_codes"])
    messages.success(
        request,
        "Its lookup tables may be read for code lists."
        if source.reads_codes
        else "Its lookup tables are no longer read.",
    )
    return redirect("sources:page", request.area.slug, pk)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def tables(request: AreaRequest, pk: int) -> HttpResponse:
    """The lookup tables of a source; by POST the chosen ones are read."""
    source = get_object_or_404(Source, pk=pk, area=request.area, model__isnull=False)
    failure = ""
    if request.method == "POST":
        chosen = parse_ints(request.POST.getlist("chosen"))
        try:
            job = code_tables.start(area=request.area, person=request.user, source=source, tables=chosen)
            return redirect("jobs:page", request.area.slug, job.pk)
        except EditError as error:
            failure = str(error)
    context = {"source": source, "offered": code_tables.offered(source), "failure": failure, "most": MOST_ROWS}
    return render(request, "sources/codes.html", context, status=422 if failure else 200)
