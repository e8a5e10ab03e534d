"""Describing what stands in many places once."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.dictionary import concepts
from indexa.store.errors import EditError
from indexa.ui.parameters import parse_ints


@require_GET
@in_area(Role.READER)
def concept_list(request: AreaRequest) -> HttpResponse:
    """Names that stand in several places and lack a definition in some."""
    text = request.GET.get("q", "")[:120]
    return render(request, "dictionary/concepts.html", {"found": concepts.concepts(request.area, text), "text": text})


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def concept(request: AreaRequest) -> HttpResponse:
    """One of them: its places, and the definition that all of them get."""
    name, family = request.GET.get("name", "")[:200], request.GET.get("family", "")[:40]
    by_words = request.GET.get("by") == "words"
    failure, written = "", ""
    if request.method == "POST":
        written = request.POST.get("written", "") or request.POST.get("chosen", "")
        ids = parse_ints(request.POST.getlist("member"))
        try:
            count = concepts.describe(area=request.area, person=request.user, name=name, ids=ids, text=written)
            messages.success(request, f"{count:,} described. Press u to undo.")
            return redirect("dictionary:concepts", request.area.slug)
        except EditError as error:
            failure = str(error)
    found = concepts.members(request.area, name, family, by_words=by_words)
    context = {
        "name": name,
        "family": family,
        "by_words": by_words,
        "members": found.columns,
        "wordings": found.wordings,
        "failure": failure,
        "written": written,
    }
    return render(request, "dictionary/concept.html", context, status=422 if failure else 200)
