"""Small renderings that every place shares: marked letters, key roles, coverage bars."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

from django import template
from django.utils.html import conditional_escape, format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from indexa.core import platforms
from indexa.core.dictionary.key_roles import LABELS
from indexa.core.intake.receipt import counted
from indexa.core.render.prose import to_html
from indexa.core.type_families import shorten

register = template.Library()


@register.filter
def marked(text: str, terms: Sequence[str]) -> SafeString:
    """Escape text and mark every place where one of the terms stands in it."""
    text = text or ""
    pattern = _any_of(tuple(terms)) if terms else None
    if pattern is None or not pattern.search(text):
        return conditional_escape(text)
    out, last = [], 0
    for match in pattern.finditer(text):
        out.append(conditional_escape(text[last : match.start()]))
        out.append(format_html("<mark>{}</mark>", match.group()))
        last = match.end()
    out.append(conditional_escape(text[last:]))
    return mark_safe("".join(out))  # noqa: S308  every piece was escaped above


@register.filter
def markdown(text: str) -> SafeString:
    """Show a text in Markdown."""
    return mark_safe(to_html(text or ""))  # noqa: S308  the renderer lets no markup of the text through


@lru_cache(maxsize=500)
def _any_of(terms: tuple[str, ...]) -> re.Pattern[str]:
    return re.compile("|".join(re.escape(term) for term in sorted(terms, key=len, reverse=True)), re.I)


@register.filter
def with_names(sentence: str, begins: bool = False) -> SafeString:
    """Escape a sentence and show what stands between backticks as a machine name; `begins` with a capital, unless with a name."""
    parts = sentence.split("`")
    if begins and parts[0]:
        parts[0] = parts[0][0].upper() + parts[0][1:]
    shown = (format_html("<code>{}</code>", one) if at % 2 else conditional_escape(one) for at, one in enumerate(parts))
    return mark_safe("".join(shown))  # noqa: S308  every piece was escaped above


@register.filter
@lru_cache(maxsize=500)
def key_roles(roles: int) -> SafeString:
    """Show the key roles of a column as their short forms, each with its words."""
    return format_html_join(
        "",
        '<abbr class="role {}" title="{}">{}</abbr>',
        ((short, words, short) for role, (short, words) in LABELS.items() if roles & role),
    )


@register.filter
@lru_cache(maxsize=5_000)
def short_type(type_name: str) -> str:
    """Word a type as short as SQL allows, for a narrow column; the exact wording stands beside it."""
    return shorten(type_name)


@register.filter
def counted_as(kind: str, count: int) -> str:
    """Word a kind of objects as it stands behind its number."""
    return counted(kind, count)


@register.filter
def platform_label(platform: str) -> str:
    """Word a platform as people call it."""
    return platforms.label_of(platform)


@register.simple_tag
def bar(part: int, whole: int, css: str, label: str = "") -> SafeString:
    """Draw part of whole as a bar; with a label it is a picture with that name, without it decoration."""
    width = round(100 * part / whole) if whole else 0
    named = format_html('role="img" aria-label="{}"', label) if label else mark_safe('aria-hidden="true"')
    return format_html('<svg class="{}" {}><rect width="{}%" height="100%"/></svg>', css, named, width)


@register.filter
def percent_of(part: int, whole: int) -> int:
    """Percent, 0 to 100."""
    return round(100 * part / whole) if whole else 0
