"""Words of differences for templates."""

from __future__ import annotations

from django import template

from indexa.core.compare.wording import kind_in_words

register = template.Library()
register.filter("kind_label", kind_in_words)
