"""What every form of Indexa shares."""

from __future__ import annotations

from typing import Any

from django import forms
from django.contrib.auth.forms import AuthenticationForm, PasswordChangeForm


class Styled(forms.Form):
    """Gives each field its class, and the width that its form asks for in `widths`."""

    widths: dict[str, str] = {}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        style_fields(self, self.widths)


def style_fields(form: forms.BaseForm, widths: dict[str, str]) -> None:
    """Set the CSS class of every field by its kind, and its width ("half", "third", "two-thirds")."""
    for name, field in form.fields.items():
        kind = getattr(field.widget, "input_type", "")
        css = {"select": "form-select", "checkbox": "form-check-input", "radio": "form-check-input"}
        field.widget.attrs.setdefault("class", css.get(kind, "form-control"))
        field.width = widths.get(name, "")  # type: ignore[attr-defined]


class SignInForm(AuthenticationForm):
    """Name and password."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["username"].label = "Name"
        style_fields(self, {})


class OwnPasswordForm(PasswordChangeForm):
    """Old password, and the new one twice."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        style_fields(self, {})
