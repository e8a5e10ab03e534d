"""When people were here last, so that they are told what came since."""

from __future__ import annotations

import datetime as dt

from django.utils import timezone

from indexa.areas.models import Area, Person, Visit

APART = dt.timedelta(minutes=30)
"""Who comes back sooner is still on the same visit."""


def arrive(area: Area, person: Person) -> None:
    """Note that a person is here."""
    now = timezone.now()
    visit, is_first = Visit.objects.get_or_create(area=area, person=person, defaults={"at": now})
    if is_first:
        return
    if now - visit.at > APART:
        visit.before = visit.at
    visit.at = now
    visit.save(update_fields=["at", "before"])


def last_here(area: Area, person_id: int | None) -> dt.datetime | None:
    """Return when a person was here before this visit; None on their first."""
    return Visit.objects.filter(area=area, person=person_id).values_list("before", flat=True).first()
