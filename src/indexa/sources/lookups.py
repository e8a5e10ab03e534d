"""Sources in the lookup."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from indexa.areas.models import Area
from indexa.sources.models import Source
from indexa.ui.lookups import Result, lookup

_MOST = 3


@lookup(order=20)
def sources(area: Area, text: str) -> Iterator[Result]:
    """Return sources by their names."""
    for source in Source.objects.filter(area=area, name__icontains=text)[:_MOST]:
        yield Result("Source", reverse("sources:page", args=[area.slug, source.pk]), source.name)
