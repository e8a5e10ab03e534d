"""The forms of editions: what goes in, and whom a reading link is for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from django import forms
from django.forms.boundfield import BoundField

from indexa.areas.models import Area, Person
from indexa.core.edition.parts import Contents
from indexa.diagrams.models import Diagram
from indexa.dictionary.saved_views import views_of
from indexa.editions.choices import Choices
from indexa.editions.composing import LONGEST_TEXT, fields_of_privacy, thresholds
from indexa.editions.enclosing import scripts_of, title_of
from indexa.store.models import StoredModel, StoredTable
from indexa.ui.forms import Styled, style_fields

_LABELS = {
    "tables": "A page for each table", "views": "Views, beside tables", "undescribed": "Tables in which nothing is described yet",
    "technical": "Keys, indexes, checks and the queries of views", "comments": "The source's own comments where there is no definition",
    "stewardship": "Owners, classes and fields", "glossary": "Terms and business rules", "drafts": "Terms that are drafts",
    "codes": "Code lists that columns carry", "coverage": "How far each schema is described", "findings": "Naming findings",
    "diagrams": "Diagrams that the area shares", "neighbourhoods": "A diagram for each group of tables",
    "surroundings": "A small diagram with each table", "logo": "The area's logo on the cover",
}  # fmt: skip
"""Members of `Contents` as a person chooses them."""
_OF_DIAGRAMS = ("diagrams", "neighbourhoods", "surroundings")
_GROUPS: dict[str, tuple[str, ...]] = {
    "Cover": ("title", "audience", "note", "foot", "paper", "logo"),
    "Models": ("models", "schemas", "view"),
    "What goes in": tuple(name for name in _LABELS if name not in _OF_DIAGRAMS and name != "logo"),
    "Diagrams": (*_OF_DIAGRAMS, "only_diagrams"),
    "Left out": ("above", "private"),
    "Change scripts": ("scripts",),
    "Own text": ("text",),
    "For the next time": ("template_name_to_keep",),
}


class EditionForm(Styled):
    """Title, note, models, and what of them goes in."""

    title = forms.CharField(max_length=160)
    note = forms.CharField(
        max_length=4000, required=False, widget=forms.Textarea(attrs={"rows": 3}),
        help_text="What is new in it, for those who read it. It is shown on the first page.",
    )  # fmt: skip
    audience = forms.CharField(required=False, max_length=200, label="For whom", help_text="Shown on the first page.")
    foot = forms.CharField(required=False, max_length=200, label="Line at the foot of every page")
    paper = forms.ChoiceField(label="Paper of documents", choices=[("a4", "A4"), ("us-letter", "US Letter")])
    models = forms.MultipleChoiceField(
        widget=forms.CheckboxSelectMultiple, error_messages={"required": "Choose at least one model."}
    )
    schemas = forms.CharField(
        required=False,
        max_length=2000,
        label="Only these schemas",
        help_text="Names with commas between; empty for all.",
    )
    view = forms.ChoiceField(
        required=False,
        label="Only tables of a saved view",
        help_text="Views of the dictionary.",
    )
    only_diagrams = forms.MultipleChoiceField(
        required=False, label="Of those that the area shares, only these", widget=forms.CheckboxSelectMultiple
    )
    above = forms.ChoiceField(required=False, label="For its class")
    private = forms.ChoiceField(
        required=False, label="Definitions, where this field is yes",
        help_text="Names and types stay; definitions and comments do not leave the area.",
    )  # fmt: skip
    scripts = forms.MultipleChoiceField(required=False, label="Change scripts", widget=forms.CheckboxSelectMultiple)
    text = forms.CharField(
        required=False, label="Own text", max_length=LONGEST_TEXT, widget=forms.Textarea(attrs={"rows": 8}),
        help_text="Markdown; “# Title” begins a section. [[schema.table]] names a table and stays true when it is renamed.",
    )  # fmt: skip
    template_name_to_keep = forms.CharField(
        required=False, max_length=80, label="Keep these choices as a template", help_text="Its name; empty keeps none."
    )

    def __init__(self, *args: Any, area: Area, person: Person, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields |= {name: forms.BooleanField(required=False, label=label) for name, label in _LABELS.items()}
        style_fields(self, self.widths)
        self._offer("above", thresholds(area))
        self._offer("models", _in_order(_models_of(area), self._chosen("models")))
        self._offer("scripts", [(str(one.pk), title_of(one)) for one in scripts_of(area)], needed=True)
        shared = Diagram.objects.filter(model__area=area, private_to__isnull=True).order_by("name")
        self._offer("only_diagrams", [(str(pk), name) for pk, name in shared.values_list("pk", "name")], needed=True)
        self._offer("view", [(0, "all"), *((one.pk, one.name) for one in views_of(area, person))])
        self._offer("private", fields_of_privacy(area))
        self.known_schemas = set(
            StoredTable.objects.filter(model__area=area, removed_at__isnull=True)
            .values_list("schema", flat=True)
            .distinct()
        )

    def _chosen(self, name: str) -> list[str]:
        return self.data.getlist(name) if self.is_bound else [str(one) for one in self.initial.get(name, ())]  # type: ignore[attr-defined]

    def _offer(self, name: str, choices: list[Any], *, needed: bool = False) -> None:
        """Give a field its choices; one that is `needed` for nothing without any is left away."""
        field: Any = self.fields[name]
        field.choices = choices
        if needed and not choices:
            del self.fields[name]

    def groups(self) -> Iterator[tuple[str, list[BoundField]]]:
        """Yield the fields under their headings."""
        for heading, names in _GROUPS.items():
            found = [self[name] for name in names if name in self.fields]
            if found:
                yield heading, found

    def clean_schemas(self) -> list[str]:
        """Return the names; one that no model of the area has is an error."""
        names = list(dict.fromkeys(name.strip() for name in self.cleaned_data["schemas"].split(",") if name.strip()))
        unknown = [name for name in names if name not in self.known_schemas]
        if unknown:
            raise forms.ValidationError(f"No model here has a schema {', '.join(unknown)}.")
        return names

    def choices(self, text: str) -> Choices:
        """Return what was chosen, models in the order in which they were sent; `text` is the own text with names kept."""
        given: Mapping[str, Any] = self.cleaned_data
        ids = {name: [int(one) for one in given.get(name, ())] for name in ("models", "scripts", "only_diagrams")}
        return Choices(
            models=ids["models"], contents=Contents(**{name: given[name] for name in Contents.__struct_fields__}), text=text,
            above=given["above"], private=int(given["private"] or 0), schemas=given["schemas"], view=int(given["view"] or 0),
            only_diagrams=ids["only_diagrams"], scripts=ids["scripts"], audience=given["audience"], foot=given["foot"], paper=given["paper"],
        )  # fmt: skip


def _models_of(area: Area) -> list[tuple[str, str]]:
    models = StoredModel.objects.filter(area=area).order_by("name")
    return [(str(one.pk), f"{one.name} ({one.layer})") for one in models]


def _in_order(choices: list[tuple[str, str]], chosen: list[str]) -> list[tuple[str, str]]:
    """Return choices, those that are chosen first, in the order in which they are."""
    place = {value: number for number, value in enumerate(chosen)}
    return sorted(choices, key=lambda one: place.get(one[0], len(place)))


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
