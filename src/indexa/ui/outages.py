"""What is answered while Indexa's own database is away, or while two changes are in each other's way."""

from __future__ import annotations

import logging
import sys

from django.db import InterfaceError, OperationalError, connection
from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string

from indexa.database_errors import is_outage
from indexa.ui.context import page

SECONDS_TO_TRY_AGAIN = 5


def away_page(request: HttpRequest) -> HttpResponse:
    """503, made without asking the database anything. A page that was only looked at loads itself again."""
    context = {"again": request.method == "GET", "seconds": SECONDS_TO_TRY_AGAIN, **page(request)}
    response = HttpResponse(render_to_string("ui/away.html", context), status=503)
    response["Retry-After"] = str(SECONDS_TO_TRY_AGAIN)
    response["Cache-Control"] = "no-store"
    return response


def health(request: HttpRequest) -> HttpResponse | None:
    """Answer the two addresses that load balancers ask; None for any other.

    They are answered before hosts, sessions and people are looked at: /health/live while this process answers at all,
    /health/ready while its database does too.
    """
    if request.path_info == "/health/live":
        return HttpResponse("live\n", content_type="text/plain")
    if request.path_info != "/health/ready":
        return None
    try:
        with connection.cursor() as cursor:
            cursor.execute("select 1")
    except (OperationalError, InterfaceError):
        return HttpResponse("the database is away\n", status=503, content_type="text/plain")
    return HttpResponse("ready\n", content_type="text/plain")


class OneLine(logging.Filter):
    """Keeps a request that met an outage to one line of the log: the cause is the same for all of them."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Take the traceback off where it says only that the database is away."""
        error = record.exc_info[1] if record.exc_info else sys.exc_info()[1]
        if is_outage(error):
            record.msg = f"{record.getMessage()}: the database is away ({' '.join(str(error).split())[:120]})"
            record.args, record.exc_info, record.exc_text = (), None, None
        return True
