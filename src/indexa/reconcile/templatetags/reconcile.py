"""Words of differences for templates."""

from __future__ import annotations

from django import template

from indexa.core.compare.wording import kind_in_words
from indexa.core.compare.words import Run, words_that_differ

register = template.Library()
register.filter("kind_label", kind_in_words)


@register.simple_tag
def runs_of(before: str, after: str) -> list[Run]:
    """Return the words in which two texts differ."""
    return words_that_differ(before, after)
