"""The form for a new edition."""

from __future__ import annotations

from typing import Any

from django import forms

from indexa.areas.models import Area
from indexa.core.edition.parts import Contents
from indexa.editions.composing import LONGEST_TEXT, thresholds
from indexa.editions.enclosing import scripts_of, title_of
from indexa.store.models import StoredModel, StoredTable
from indexa.ui.forms import Styled


class EditionForm(Styled):
    """Title, note, models, and what of them goes in."""

    field_order = ("title", "audience", "note", "models", "schemas", "scripts", "above", "text", "paper")

    title = forms.CharField(max_length=160)
    note = forms.CharField(
        max_length=4000, required=False, widget=forms.Textarea(attrs={"rows": 3}),
        help_text="What is new in it, for those who read it. It is shown on the first page.",
    )  # fmt: skip
    models = forms.ModelMultipleChoiceField(
        queryset=StoredModel.objects.none(), widget=forms.CheckboxSelectMultiple,
        error_messages={"required": "Choose at least one model."},
    )  # fmt: skip
    views = forms.BooleanField(required=False, initial=True, label="Views, beside tables")
    technical = forms.BooleanField(required=False, initial=True, label="Keys, indexes, checks and the queries of views")
    comments = forms.BooleanField(
        required=False, initial=True, label="The source's own comments where there is no definition"
    )
    undescribed = forms.BooleanField(required=False, initial=True, label="Tables in which nothing is described yet")

    diagrams = forms.BooleanField(required=False, initial=True, label="Diagrams that the area shares")
    stewardship = forms.BooleanField(required=False, initial=True, label="Owners, classes and fields")
    glossary = forms.BooleanField(required=False, initial=True, label="Terms and business rules")
    codes = forms.BooleanField(required=False, initial=True, label="Code lists that columns carry")

    tables = forms.BooleanField(required=False, initial=True, label="A page for each table")
    drafts = forms.BooleanField(required=False, initial=True, label="Terms that are drafts")
    coverage = forms.BooleanField(required=False, initial=True, label="How far each schema is described")
    schemas = forms.CharField(
        required=False,
        max_length=2000,
        label="Only these schemas",
        help_text="Names with commas between; empty for all.",
    )
    audience = forms.CharField(required=False, max_length=200, label="For whom", help_text="Shown on the first page.")
    scripts = forms.MultipleChoiceField(required=False, label="Change scripts", widget=forms.CheckboxSelectMultiple)
    paper = forms.ChoiceField(label="Paper of documents", choices=[("a4", "A4"), ("us-letter", "US Letter")])
    above = forms.ChoiceField(required=False, label="Left out for its class")
    text = forms.CharField(
        required=False, label="Own text", max_length=LONGEST_TEXT, widget=forms.Textarea(attrs={"rows": 8}),
        help_text="Markdown; “# Title” begins a section. [[schema.table]] names a table and stays true when it is renamed.",
    )  # fmt: skip
    template_name_to_keep = forms.CharField(
        required=False, max_length=80, label="Keep these choices as a template", help_text="Its name; empty keeps none."
    )

    def __init__(self, *args: Any, area: Area, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        above: Any = self.fields["above"]
        above.choices = thresholds(area)
        scripts: Any = self.fields["scripts"]
        scripts.choices = [(one.pk, title_of(one)) for one in scripts_of(area)]
        if not scripts.choices:
            del self.fields["scripts"]
        self.known_schemas = set(
            StoredTable.objects.filter(model__area=area, removed_at__isnull=True)
            .values_list("schema", flat=True)
            .distinct()
        )
        models: Any = self.fields["models"]
        models.queryset = StoredModel.objects.filter(area=area)
        models.label_from_instance = lambda model: f"{model.name} ({model.layer})"

    def clean_schemas(self) -> list[str]:
        """Return the names; one that no model of the area has is an error."""
        names = list(dict.fromkeys(name.strip() for name in self.cleaned_data["schemas"].split(",") if name.strip()))
        unknown = [name for name in names if name not in self.known_schemas]
        if unknown:
            raise forms.ValidationError(f"No model here has a schema {', '.join(unknown)}.")
        return names

    def contents(self) -> dict[str, bool]:
        """What of the models goes in."""
        return {name: self.cleaned_data[name] for name in Contents.__struct_fields__}


class ShareForm(Styled):
    """Whom a reading link is for."""

    label = forms.CharField(label="For whom", max_length=120)
    days = forms.IntegerField(label="Days until it ends", required=False, min_value=1, max_value=3_660)
    passphrase = forms.CharField(
        label="Passphrase",
        required=False,
        min_length=8,
        max_length=200,
        widget=forms.PasswordInput(attrs={"autocomplete": "off"}),
    )
