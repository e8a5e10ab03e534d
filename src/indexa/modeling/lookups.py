"""Models and tables in the lookup."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import Case, F, IntegerField, Q, TextField, Value, When
from django.db.models.functions import Coalesce, Length, NullIf
from django.urls import reverse

from indexa.areas.models import Area
from indexa.store.models import Layer, StoredModel, StoredTable
from indexa.ui.lookups import Result, lookup

_MOST_MODELS, _MOST_TABLES, _MOST_TERMS = 3, 6, 4
_EMPTY = Value("", output_field=TextField())


@lookup(order=10)
def models(area: Area, text: str) -> Iterator[Result]:
    """Return models by their names."""
    for model in StoredModel.objects.filter(area=area, name__icontains=text)[:_MOST_MODELS]:
        yield Result("Model", reverse("modeling:overview", args=[area.slug, model.pk]), model.name, within=model.layer)


@lookup(order=30)
def tables(area: Area, text: str) -> Iterator[Result]:
    """Return tables and views by machine or business name, those whose name begins with the text first."""
    found = StoredTable.objects.filter(model__area=area, model__layer=Layer.PHYSICAL, removed_at__isnull=True)
    found = found.annotate(shown_name=Coalesce(NullIf("business_name", _EMPTY), F("entity__business_name"), _EMPTY))
    for term in text.split()[:_MOST_TERMS]:
        found = found.filter(Q(name__icontains=term) | Q(schema__icontains=term) | Q(shown_name__icontains=term))
    closeness = Case(
        When(name__iexact=text, then=0),
        When(name__istartswith=text, then=1),
        default=2,
        output_field=IntegerField(),
    )
    for table in found.order_by(closeness, Length("name"), "name")[:_MOST_TABLES]:
        yield Result(
            kind="View" if table.kind.endswith("view") else "Table",
            address=reverse("modeling:table", args=[area.slug, table.pk]),
            name=table.full_name,
            is_machine_name=True,
            business_name=table.shown_name,
        )
