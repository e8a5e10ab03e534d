"""What is done with every request on its way in, and with every answer on its way out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, QueryDict

from indexa.ui.error_pages import error_page
from indexa.ui.outages import health

_NUL = "\x00"


def health_addresses(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Answer what load balancers ask before anything else looks at the request."""

    def answer(request: HttpRequest) -> HttpResponse:
        return health(request) or get_response(request)

    return answer


def address_behind_proxies(
    get_response: Callable[[HttpRequest], HttpResponse],
) -> Callable[[HttpRequest], HttpResponse]:
    """Take the address of who asks from the header that the proxies in front of the server write, if there are any.

    The last of settings.PROXIES entries is what the outermost of them saw; entries before it can be made up.
    """

    def answer(request: HttpRequest) -> HttpResponse:
        passed = [part.strip() for part in request.headers.get("X-Forwarded-For", "").split(",") if part.strip()]
        if settings.PROXIES and len(passed) >= settings.PROXIES:
            request.META["REMOTE_ADDR"] = passed[-settings.PROXIES]
        return get_response(request)

    return answer


def method_not_allowed_page(
    get_response: Callable[[HttpRequest], HttpResponse],
) -> Callable[[HttpRequest], HttpResponse]:
    """Give a page to the one refusal that Django leaves blank: a method that an address does not take."""

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if response.status_code != 405 or response.content:
            return response
        page = error_page(request, 405)
        page["Allow"] = response["Allow"]
        return page

    return answer


def strip_nul(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Take the one character out of what was sent that PostgreSQL keeps in no text; no address has it."""

    def answer(request: HttpRequest) -> HttpResponse:
        if _NUL in request.path_info:
            return error_page(request, 404)
        request.GET = _without_nul(request.GET)
        if request.method == "POST":
            request.POST = _without_nul(request.POST)
        return get_response(request)

    return answer


def _without_nul(given: QueryDict) -> Any:
    if not any(_NUL in text for name, texts in given.lists() for text in (name, *texts)):
        return given
    kept = QueryDict(mutable=True)
    for name, texts in given.lists():
        kept.setlist(name.replace(_NUL, ""), [text.replace(_NUL, "") for text in texts])
    return kept
