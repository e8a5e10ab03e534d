"""Attached files in the lookup."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from indexa.areas.models import Area
from indexa.attaching.models import Attachment
from indexa.describing import subjects
from indexa.store.errors import EditError
from indexa.ui.lookups import Result, lookup

_MOST = 4


@lookup(order=60)
def files(area: Area, text: str) -> Iterator[Result]:
    """Return files by name, each with what it is attached to."""
    for one in Attachment.objects.filter(area=area, name__icontains=text)[:_MOST]:
        try:
            label = subjects.label_of(area, one.target, one.object_id)
        except EditError:
            continue
        address = reverse("attaching:download", args=[area.slug, one.pk])
        yield Result("File", address, one.name, within=label, within_is_machine_name=one.target in ("table", "column"))
