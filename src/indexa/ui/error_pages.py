"""A page for each error: what happened, what was kept, what to do."""

from __future__ import annotations

import sys
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import requires_csrf_token

from indexa.database_errors import is_collision, is_outage
from indexa.ui.outages import away_page

_WORDS = {
    400: ("This request can't be understood", "Nothing was changed. Go back and try again."),
    403: ("You do not have permission", "Nothing was changed."),
    404: ("There is nothing here", "It may have been deleted. Check the address."),
    405: (
        "That is not how this page is used",
        "Nothing was changed. Go back and use the page's own buttons.",
    ),
    409: (
        "Two changes met",
        "Somebody else changed the same at this moment. Nothing of yours was changed: go back and repeat the step.",
    ),
    500: (
        "Something went wrong on our side",
        "What you saved before is kept; the last step is not. The server's log has the cause.",
    ),
}


def error_page(request: HttpRequest, status: int, detail: str = "") -> HttpResponse:
    """Render the page of one HTTP error."""
    title, advice = _WORDS[status]
    context = {"status": status, "title": title, "advice": advice, "detail": detail}
    return render(request, "ui/error.html", context, status=status)


@requires_csrf_token
def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """400"""
    return error_page(request, 400)


@requires_csrf_token
def permission_denied(request: HttpRequest, exception: Exception) -> HttpResponse:
    """403, with the reason that the policy gave."""
    return error_page(request, 403, str(exception) if isinstance(exception, PermissionDenied) else "")


@requires_csrf_token
def page_not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """404"""
    return error_page(request, 404)


@requires_csrf_token
def server_error(request: HttpRequest) -> HttpResponse:
    """503 while the database is away, 409 where two transactions met, else 500."""
    error = sys.exc_info()[1]
    if is_outage(error):
        return away_page(request)
    return error_page(request, 409 if is_collision(error) else 500)


def csrf_failure(request: HttpRequest, reason: str = "", **_: Any) -> HttpResponse:
    """403 for a form whose token is missing or old; a script gets 401, for a new token and another try."""
    if "HX-Request" in request.headers:
        return HttpResponse(status=401)
    return error_page(
        request, 403, "The form was too old, or cookies are off. Load the page again and repeat the step."
    )
