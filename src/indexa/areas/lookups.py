"""People in the lookup."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import Q
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.ui.lookups import Result, lookup

_MOST, _MOST_TERMS = 3, 4


@lookup(order=50)
def people(area: Area, text: str) -> Iterator[Result]:
    """Return members of the area by any of their names."""
    found = Person.objects.filter(memberships__area=area)
    for term in text.split()[:_MOST_TERMS]:
        found = found.filter(Q(first_name__icontains=term) | Q(last_name__icontains=term) | Q(username__icontains=term))
    for person in found[:_MOST]:
        yield Result("Person", reverse("desk:person", args=[area.slug, person.pk]), person.display_name)
