"""Signing in on the spot when a sign-in ended while somebody worked: the page and what was typed stay."""

from __future__ import annotations

from collections.abc import Callable

from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.middleware.csrf import get_token
from django.shortcuts import render
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters

from indexa.ui.forms import SignInForm


class SignInRequired(LoginRequiredMiddleware):
    """Sends who is not signed in to the sign-in; a script that asks for a part of a page gets 401 and signs in on the spot."""

    def handle_no_permission(  # type: ignore[override]  # the parent's type leaves no room for another answer
        self, request: HttpRequest, view_func: Callable[..., HttpResponseBase]
    ) -> HttpResponse:
        """Return the answer for somebody who is not signed in."""
        if "HX-Request" in request.headers:
            return HttpResponse(status=401)
        return super().handle_no_permission(request, view_func)


@sensitive_post_parameters("password")
@never_cache
@login_not_required
def sign_in_again(request: HttpRequest) -> HttpResponse:
    """The form of the dialog; once somebody is signed in, the token that changing requests carry."""
    if request.method != "POST":
        if request.user.is_authenticated:
            return JsonResponse({"token": get_token(request)})
        return render(request, "ui/_sign_in_again.html", {"form": SignInForm(request)})
    form = SignInForm(request, request.POST)
    if not form.is_valid():
        return render(request, "ui/_sign_in_again.html", {"form": form}, status=422)
    login(request, form.get_user())
    return JsonResponse({"token": get_token(request)})
