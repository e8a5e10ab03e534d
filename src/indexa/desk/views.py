"""The Desk: what waits for a person, and how each model stands. And the lookup of every page."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from indexa.areas.models import Membership, Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.changes.models import ChangeSet
from indexa.store.models import Layer, StoredModel
from indexa.ui.lookups import look_up


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest) -> HttpResponse:
    """What waits for a person, and how things stand: the panels of all apps."""
    is_empty = not StoredModel.objects.filter(area=request.area, layer=Layer.PHYSICAL).exists()
    return render(request, "desk/page.html", {"is_empty": is_empty})


@require_GET
@in_area(Role.READER)
def lookup(request: AreaRequest) -> HttpResponse:
    """The fragment below the lookup field: anything whose name contains what was typed."""
    text = request.GET.get("q", "")[:100].strip()
    found = look_up(request.area, text) if text else []
    return render(request, "desk/_found.html", {"text": text, "found": found, "terms": text.lower().split()})


@require_GET
@in_area(Role.READER)
def person(request: AreaRequest, pk: int) -> HttpResponse:
    """A member of the area and what they changed lately."""
    member = get_object_or_404(Membership.objects.select_related("person"), area=request.area, person_id=pk)
    changes = ChangeSet.objects.filter(area=request.area, person_id=pk).select_related("person", "undoes")
    context = {"member": member, "changes": changes.prefetch_related("changes")[:50]}
    return render(request, "desk/person.html", context)
