"""Forms for members of an area."""

from __future__ import annotations

from django import forms
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from indexa.areas.models import Person, Role
from indexa.ui.forms import Styled


class MemberForm(Styled):
    """A new member: a person who can sign in already, or a new one with a first password."""

    widths = {
        "username": "half",
        "role": "half",
        "first_name": "half",
        "last_name": "half",
        "email": "half",
        "password": "half",
    }
    username = forms.CharField(label="Sign-in name", max_length=150)
    role = forms.TypedChoiceField(choices=Role.choices, coerce=int, initial=Role.READER)
    first_name = forms.CharField(max_length=150, required=False)
    last_name = forms.CharField(max_length=150, required=False)
    email = forms.EmailField(label="Mail address", required=False, help_text="Results of scheduled readings go there.")
    password = forms.CharField(
        label="First password", required=False, widget=forms.PasswordInput(attrs={"autocomplete": "new-password"}),
        help_text="Only for somebody new; it is changed at the first sign-in.",
    )  # fmt: skip

    def clean(self) -> dict[str, object]:
        cleaned = self.cleaned_data
        known = Person.objects.filter(username=cleaned.get("username", "")).exists()
        if not known and cleaned.get("username"):
            if not cleaned.get("password"):
                raise ValidationError({"password": "Nobody has this sign-in name yet: give a first password."})
            try:
                validate_password(cleaned["password"])
            except ValidationError as error:
                self.add_error("password", error)
        return cleaned
