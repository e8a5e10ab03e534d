"""Fetching a catalog from where it is published, and taking it in as if it had been delivered."""

from __future__ import annotations

import datetime as dt
import urllib.error
import urllib.request
from urllib.parse import urlsplit

from django.utils import timezone

from indexa.commons.models import Origin
from indexa.commons.receiving import Outcome, take
from indexa.core.edition.open import received
from indexa.core.edition.open.received import CatalogProblem

_SECONDS = 120
_BY_SUFFIX = {"ttl": "text/turtle", "jsonld": "application/ld+json", "json": "application/ld+json"}
_ASKED = ", ".join(received.FORMS)


def harvest(name: str, address: str) -> Outcome:
    """Fetch the catalog at an address and take it in under a name. Raises CatalogProblem where there is none.

    Addresses are given by whoever runs the server, never by what was received.
    """
    if urlsplit(address).scheme not in ("http", "https"):
        raise CatalogProblem("The address begins with http:// or https://.")
    request = urllib.request.Request(address, headers={"Accept": _ASKED, "User-Agent": "Commons"})  # noqa: S310  checked above
    try:
        with urllib.request.urlopen(request, timeout=_SECONDS) as answer:  # noqa: S310  checked above
            content = answer.read(received.LARGEST + 1)
            kind = answer.headers.get_content_type()
    except urllib.error.HTTPError as error:
        raise CatalogProblem(f"{address} answers {error.code}.") from None
    except OSError as error:
        raise CatalogProblem(f"{address} can't be reached: {getattr(error, 'reason', error)}.") from None
    if kind not in received.FORMS:
        kind = _BY_SUFFIX.get(urlsplit(address).path.rpartition(".")[2], kind)
    return take(name, received.read(content, kind), sender=f"harvested from {address}")


def keep(name: str, address: str, hours: int) -> None:
    """Have a catalog fetched again every so many hours, from now on."""
    next_at = timezone.now() + dt.timedelta(hours=hours)
    Origin.objects.update_or_create(name=name, defaults={"address": address, "hours": hours, "next_at": next_at})


def forget(name: str) -> bool:
    """Fetch a catalog no longer; what was fetched stays. Return whether it was fetched by a clock."""
    return Origin.objects.filter(name=name).delete()[0] > 0


def harvest_due() -> int:
    """Fetch every catalog whose time has come, and keep what came of it; one that fails is tried again at its next time."""
    due = list(Origin.objects.filter(next_at__lte=timezone.now()))
    for one in due:
        try:
            one.outcome, one.has_failed = harvest(one.name, one.address).words, False
        except CatalogProblem as error:
            one.outcome, one.has_failed = str(error), True
        one.tried_at = timezone.now()
        one.next_at = one.tried_at + dt.timedelta(hours=one.hours)
        one.save()
    return len(due)
