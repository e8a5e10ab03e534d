"""Changing one's password, which comes first where somebody else chose it."""

from __future__ import annotations

from collections.abc import Callable

from django.contrib.auth.views import PasswordChangeView
from django.forms import BaseForm
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse, reverse_lazy

from indexa.areas.models import Person
from indexa.ui.forms import OwnPasswordForm


class ChangePassword(PasswordChangeView):
    """The form for another password; the first one is over with it."""

    template_name = "ui/password.html"
    form_class = OwnPasswordForm
    success_url = reverse_lazy("home")

    def form_valid(self, form: BaseForm) -> HttpResponse:
        """Keep the new password."""
        answer = super().form_valid(form)  # type: ignore[arg-type]
        Person.objects.filter(username=self.request.user.get_username()).update(has_first_password=False)
        return answer


def first_password(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Lead whoever has a first password to the form for another one, wherever they go."""

    def answer(request: HttpRequest) -> HttpResponse:
        if getattr(request.user, "has_first_password", False):
            allowed = [reverse(name) for name in ("password", "sign-out", "sign-in", "sign-in-again")]
            if request.path not in allowed and not request.path.startswith("/read/"):
                return redirect("password")
        return get_response(request)

    return answer
