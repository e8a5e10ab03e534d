"""Showing the panels that apps registered for a page."""

from __future__ import annotations

from typing import Any, NamedTuple

from django import template
from django.template.context import Context
from django.template.loader import render_to_string
from django.utils.safestring import SafeString

from indexa.ui.panels import panels_at

register = template.Library()


class ShownPanel(NamedTuple):
    """A panel with its content; `size` is how much it lists, where it says so."""

    html: SafeString
    anchor: str
    label: str
    size: int | None


@register.simple_tag(takes_context=True)
def panels(context: Context, place: str, subject: Any, **more: Any) -> list[ShownPanel]:
    """Return the panels of a place that have something to show; `more` is handed to their templates."""
    request = context["request"]
    shown = []
    for one in panels_at(place):
        values = one.values(request, subject)
        if values is not None:
            html = render_to_string(one.template, {**more, **values}, request)
            shown.append(ShownPanel(html, one.anchor, one.label, values.get("count")))
    return shown
