"""Fetching a catalog from where it is published, and taking it in as if it had been delivered."""

from __future__ import annotations

import urllib.error
import urllib.request
from urllib.parse import urlsplit

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
