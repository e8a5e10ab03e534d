"""Small renderings of the place Names."""

from __future__ import annotations

import re

from django import template
from django.utils.html import conditional_escape, format_html
from django.utils.safestring import SafeString, mark_safe

register = template.Library()
_WORDS_FORMS = {"short": "short forms", "full": "words in full", "any": "words as they come"}
_CODE = re.compile(r"`([^`]*)`")


@register.filter
def with_code(text: str) -> SafeString:
    """Escape a text and set what stands between backticks in the machine's face."""
    out, last = [], 0
    for found in _CODE.finditer(text):
        out += [conditional_escape(text[last : found.start()]), format_html("<code>{}</code>", found[1])]
        last = found.end()
    return mark_safe("".join([*out, conditional_escape(text[last:])]))  # noqa: S308  every piece was escaped above


@register.filter
def words_form(form: str) -> str:
    """Return how a rule wants words written."""
    return _WORDS_FORMS[form]
