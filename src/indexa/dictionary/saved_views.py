"""Views of the dictionary that are kept under a name, private or shared in the area."""

from __future__ import annotations

from django.contrib import messages
from django.db.models import Q, QuerySet
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from indexa.areas.models import Area, Person, Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.dictionary.forms import read_query, write_query
from indexa.dictionary.models import SavedView

_MOST = 60


def views_of(area: Area, person: Person) -> QuerySet[SavedView]:
    """Return a person's own views and those that others share, by name."""
    return SavedView.objects.filter(Q(person=person) | Q(is_shared=True), area=area).select_related("person")[:_MOST]


@require_POST
@in_area(Role.READER)
def save(request: AreaRequest) -> HttpResponse:
    """Keep the view of an address under a name; one of that name is replaced. Readers keep private ones."""
    address = write_query(read_query(request.area, request.GET))
    name = " ".join(request.POST.get("name", "").replace("\x00", "").split())[:80]
    back = f"{reverse('dictionary:page', args=[request.area.slug])}?{address}"
    if not name:
        messages.error(request, "The view needs a name.")
        return redirect(back)
    if SavedView.objects.filter(area=request.area, person=request.user).count() >= _MOST:
        messages.error(request, f"{_MOST} views are saved already. Delete one first.")
        return redirect(back)
    shared = "shared" in request.POST and request.role >= Role.STEWARD
    SavedView.objects.update_or_create(
        area=request.area, person=request.user, name=name, defaults={"address": address, "is_shared": shared}
    )
    messages.success(request, f"The view is saved as {name}.")
    return redirect(back)


@require_POST
@in_area(Role.READER)
def delete(request: AreaRequest, pk: int) -> HttpResponse:
    """Delete an own view."""
    view = get_object_or_404(SavedView, pk=pk, area=request.area, person=request.user)
    view.delete()
    messages.success(request, f"The view {view.name} is deleted.")
    return redirect("dictionary:page", request.area.slug)
