"""The Desk: what waits for a person, and how each model stands. And the lookup of every page."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from indexa.areas import visits
from indexa.areas.models import Membership, Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.changes.models import ChangeSet
from indexa.store.models import Layer, StoredModel
from indexa.ui.lookups import correct, look_up


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest) -> HttpResponse:
    """What waits for a person, and how things stand: the panels of all apps."""
    visits.arrive(request.area, request.user)
    is_empty = not StoredModel.objects.filter(area=request.area, layer=Layer.PHYSICAL).exists()
    return render(request, "desk/page.html", {"is_empty": is_empty})


@require_GET
@in_area(Role.READER)
def lookup(request: AreaRequest) -> HttpResponse:
    """The fragment below the lookup field: anything whose name contains what was typed."""
    text = request.GET.get("q", "")[:100].strip()
    found = look_up(request.area, text) if text else []
    meant = correct(request.area, text) if text and not found else ""
    if meant:
        found = look_up(request.area, meant)
    context = {"text": text, "found": found, "meant": meant, "terms": (meant or text).lower().split()}
    return render(request, "desk/_found.html", context)


@require_GET
@in_area(Role.READER)
def person(request: AreaRequest, pk: int) -> HttpResponse:
    """A member of the area and what they changed lately."""
    member = get_object_or_404(Membership.objects.select_related("person"), area=request.area, person_id=pk)
    changes = ChangeSet.objects.filter(area=request.area, person_id=pk).select_related("person", "undoes")
    context = {"member": member, "changes": changes.prefetch_related("changes")[:50]}
    return render(request, "desk/person.html", context)
