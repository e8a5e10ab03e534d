"""What several pages show of models: links, and the words for what can be changed."""

from __future__ import annotations

from urllib.parse import urlencode

from django import template
from django.urls import reverse

from indexa.store.models import Layer, StoredModel

register = template.Library()
_FIELD_LABELS = {
    "business_name": "Business name",
    "own name": "Name",
    "table_role": "Role",
    "new": "New in the source",
    "gone": "No longer in the source",
    "renamed": "Renamed in the source",
    "moved": "Moved in the source",
}


@register.filter
def field_label(field: str) -> str:
    """Return what a field of a change is called on pages."""
    return _FIELD_LABELS.get(field) or field[:1].upper() + field[1:]


@register.simple_tag
def dictionary_of_model(model: StoredModel, **more: str) -> str:
    """Return the address of the dictionary narrowed to a model, and further by `more` (facet and value)."""
    layer = {"layer": model.layer} if model.layer == Layer.LOGICAL else {}
    query = urlencode({**layer, "model": model.pk, **more})
    return f"{reverse('dictionary:page', args=[model.area.slug])}?{query}"
