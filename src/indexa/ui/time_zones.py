"""Times as the person who reads them has them: each page in the time zone that the browser says it is in."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from zoneinfo import ZoneInfo, available_timezones

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

COOKIE = "timezone"
"""Written by theme.js on every page; without it times are in UTC."""


@lru_cache(maxsize=1)
def _names() -> frozenset[str]:
    return frozenset(available_timezones())


def zone_of(name: str) -> ZoneInfo:
    """Return the time zone of that name, or UTC for what is none."""
    return ZoneInfo(name) if name in _names() else ZoneInfo("UTC")


def in_time_zone_of_browser(
    get_response: Callable[[HttpRequest], HttpResponse],
) -> Callable[[HttpRequest], HttpResponse]:
    """Let pages show times in the time zone of the browser that asks."""

    def answer(request: HttpRequest) -> HttpResponse:
        with timezone.override(zone_of(request.COOKIES.get(COOKIE, ""))):
            return get_response(request)

    return answer
