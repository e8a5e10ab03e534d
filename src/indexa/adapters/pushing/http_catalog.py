"""A catalog server that takes DCAT as JSON-LD by PUT, with a token as bearer."""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
from typing import Any
from urllib.parse import quote, urlsplit

from indexa.adapters.pushing.registry import MOST_DETAILS, NoRedirect, Place, Pushed, PushError, Sent, register

_SECONDS = 120
_PAUSES = (0.0, 1.0, 4.0)
"""Before each try, in seconds: a server that is busy or starting gets another chance."""
_MOST_BYTES = 1_000_000
AGENT = "Indexa"


@register("catalog", "Catalog server", "http://127.0.0.1:8650/api/catalogs/", has_secret=True)
class HttpCatalog:
    """Pushes to a catalog server."""

    def test(self, place: Place) -> str:
        """Ask whether the server takes the token, by a catalog that is none."""
        status, answer = _ask(place, b"", "PUT", dry=True)
        if status == 401:
            raise PushError(f"The server refuses the token: {answer.get('message', 'no reason given')}")
        if status not in (200, 422):
            raise PushError(f"The server answers {status}. Is this the address below which catalogs are delivered?")
        return f"{_host(place)} takes the token."

    def plan(self, place: Place, sent: Sent) -> Pushed:
        """Ask what the catalog would change."""
        return self._put(place, sent, dry=True)

    def push(self, place: Place, sent: Sent) -> Pushed:
        """Deliver the catalog."""
        return self._put(place, sent, dry=False)

    def _put(self, place: Place, sent: Sent, *, dry: bool) -> Pushed:
        status, answer = _ask(place, sent.catalog, "PUT", dry=dry)
        if status != 200:
            raise PushError(f"{_host(place)} answers {status}: {str(answer.get('message', ''))[:300]}")
        try:
            counts = [int(answer[name]) for name in ("added", "changed", "unchanged", "gone")]
        except (KeyError, TypeError, ValueError):
            raise PushError(f"{_host(place)} does not say what it changed.") from None
        told = answer.get("details")
        lines = [one for one in told if isinstance(one, list) and len(one) == 2] if isinstance(told, list) else []
        details = tuple((str(act)[:20], str(what)[:500]) for act, what in lines[:MOST_DETAILS])
        return Pushed(counts[0], counts[1], counts[2], counts[3], details)


def _host(place: Place) -> str:
    return urlsplit(place.address).netloc.rpartition("@")[2]


def _ask(place: Place, content: bytes, method: str, *, dry: bool) -> tuple[int, dict[str, Any]]:
    if urlsplit(place.address).scheme not in ("http", "https"):
        raise PushError("The address begins with http:// or https://.")
    address = f"{place.address.rstrip('/')}/{quote(place.name, safe='')}/" + ("?dry=1" if dry else "")
    headers = {"Authorization": f"Bearer {place.secret}", "Content-Type": "application/ld+json", "User-Agent": AGENT}
    opener = urllib.request.build_opener(NoRedirect)
    why = ""
    for pause in _PAUSES:
        time.sleep(pause)
        request = urllib.request.Request(address, data=content, method=method, headers=headers)  # noqa: S310  checked above
        try:
            with opener.open(request, timeout=_SECONDS) as answer:
                return answer.status, _read(answer.read(_MOST_BYTES))
        except urllib.error.HTTPError as error:
            if error.code not in (502, 503, 504):
                return error.code, _read(error.read(_MOST_BYTES))
            why = f"answers {error.code}"
        except (urllib.error.URLError, OSError) as error:
            why = f"can't be reached: {getattr(error, 'reason', error)}"
    raise PushError(f"{_host(place)} {why}. It was tried {len(_PAUSES)} times.")


def _read(content: bytes) -> dict[str, Any]:
    try:
        found = json.loads(content)
    except ValueError:
        return {}
    return found if isinstance(found, dict) else {}
