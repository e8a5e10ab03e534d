"""What is done with every answer on its way out."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from indexa.web.errors import error_page


def worded_refusals(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Give a page to the one refusal that Django leaves blank: a method that an address does not take."""

    def answer(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        if response.status_code != 405 or response.content:
            return response
        page = error_page(request, 405)
        page["Allow"] = response["Allow"]
        return page

    return answer
