"""Forms for a source and for what to read from it."""

from __future__ import annotations

from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from indexa.adapters.address import TLS_MODES
from indexa.adapters.errors import SourceError
from indexa.adapters.postgresql import parse_url
from indexa.areas.models import Area
from indexa.core.intake.choice import OBJECT_KINDS, SchemaCount
from indexa.modeling.models import Layer, StoredModel
from indexa.sources.models import Source
from indexa.web.forms import Styled, style_fields


class SourceForm(forms.ModelForm):  # type: ignore[type-arg]  # not generic at run time
    """Where a source is. A URL fills in all that is left empty beside it."""

    url = forms.CharField(
        label="Connection URL",
        required=False,
        max_length=1000,
        help_text="For example <code>postgresql://reader@127.0.0.1:5432/billing</code>. "
        "What it says counts; the fields below may then stay empty. "
        "<code>service=billing</code> names an entry of the server's service file.",
    )
    password = forms.CharField(
        required=False, widget=forms.PasswordInput(attrs={"autocomplete": "off"}), max_length=500
    )

    class Meta:
        model = Source
        fields = ["name", "url", "host", "port", "database", "user", "password", "tls"]

    field_order = ["name", "url", "host", "port", "database", "user", "password", "tls"]
    WIDTHS = {
        "host": "two-thirds",
        "port": "third",
        "database": "half",
        "user": "half",
        "password": "half",
        "tls": "half",
    }

    def __init__(self, *args: Any, area: Area, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.area = area
        self.instance.area = area
        for name in ("host", "port", "database", "user"):
            self.fields[name].required = False
        self.fields["name"].help_text = "What colleagues call it. The model is named after it."
        if self.instance.sealed_password:
            self.fields["password"].help_text = "One is stored. Leave empty to keep it."
        style_fields(self, self.WIDTHS)

    def clean_name(self) -> str:
        name: str = self.cleaned_data["name"]
        if Source.objects.filter(area=self.area, name=name).exclude(pk=self.instance.pk).exists():
            raise ValidationError(f"A source named “{name}” is there already.")
        return name

    def clean(self) -> dict[str, Any]:
        cleaned: dict[str, Any] = super().clean() or self.cleaned_data
        if cleaned.get("url"):
            try:
                address, password = parse_url(cleaned["url"])
            except SourceError as error:
                raise ValidationError({"url": f"{error.message} {error.hint}"}) from error
            cleaned |= {"host": address.host, "port": address.port, "tls": address.tls}
            cleaned["database"] = address.database or cleaned.get("database", "")
            cleaned["user"] = address.user or cleaned.get("user", "")
            cleaned["password"] = password or cleaned.get("password", "")
            if address.tls not in TLS_MODES:
                raise ValidationError({"url": f"“{address.tls}” is no TLS mode Indexa knows."})
        cleaned["port"] = cleaned.get("port") or 5432
        for name in ("host", "database", "user"):
            if not cleaned.get(name):
                self.add_error(name, "Needed, here or in the URL.")
        return cleaned


class ChoiceForm(Styled):
    """Schemas and kinds to read, and the logical model to realise."""

    schemas = forms.MultipleChoiceField(
        widget=forms.CheckboxSelectMultiple, error_messages={"required": "Choose at least one schema."}
    )
    kinds = forms.MultipleChoiceField(
        widget=forms.CheckboxSelectMultiple,
        choices=list(OBJECT_KINDS.items()),
        error_messages={"required": "Choose at least one kind of object."},
    )
    logical = forms.ModelChoiceField(
        queryset=StoredModel.objects.none(),
        required=False,
        label="Logical model",
        empty_label="A new one, named after the source",
        help_text="The entities and attributes that these tables and columns realise.",
    )

    def __init__(self, *args: Any, source: Source, found: list[SchemaCount], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        schemas: Any = self.fields["schemas"]
        schemas.choices = [(schema.schema, schema.schema) for schema in found]
        logical: Any = self.fields["logical"]
        logical.queryset = StoredModel.objects.filter(area=source.area, layer=Layer.LOGICAL)
        if source.model:
            del self.fields["logical"]
