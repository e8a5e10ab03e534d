"""Telling a request for a fragment from one for a page."""

from typing import Any

from django.http import HttpRequest

FRAGMENT_HEADERS = ("HX-Request", "HX-Boosted", "HX-History-Restore-Request")


def wants_fragment(request: HttpRequest) -> bool:
    """True if htmx asks for a part of a page, and not to go to one or back to one."""
    htmx: Any = getattr(request, "htmx", None)
    return bool(htmx) and not htmx.boosted and not htmx.history_restore_request
