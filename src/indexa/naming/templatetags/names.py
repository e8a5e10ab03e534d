"""What the place Names shows on pages of other places: findings of a model or table, what waits in an area."""

from __future__ import annotations

import re
from typing import Any

from django import template
from django.db.models import Count, Q
from django.utils.html import conditional_escape, format_html
from django.utils.safestring import SafeString, mark_safe

from indexa.areas.models import Area
from indexa.naming.passes.models import NamingPass
from indexa.naming.standards import services as standards
from indexa.naming.standards.models import NameFinding, Waiver
from indexa.store.models import StoredModel, StoredTable

register = template.Library()
_CODE = re.compile(r"`([^`]*)`")


@register.filter
def with_code(text: str) -> SafeString:
    """Escape a text and set what stands between backticks in the machine's face."""
    out, last = [], 0
    for found in _CODE.finditer(text):
        out += [conditional_escape(text[last : found.start()]), format_html("<code>{}</code>", found[1])]
        last = found.end()
    return mark_safe("".join([*out, conditional_escape(text[last:])]))  # noqa: S308  every piece was escaped above


@register.simple_tag
def findings_of_model(model: StoredModel) -> int | None:
    """Return how many findings nobody waived; None where no standard governs the model."""
    return standards.open_findings(model.area).get(model.pk, 0) if standards.standard_of(model) else None


@register.simple_tag
def findings_of_table(table: StoredTable) -> list[NameFinding]:
    """Return the findings of a table and what is in it that nobody waived."""
    found = NameFinding.objects.filter(
        model_id=table.model_id, table_name=table.name, place__startswith=table.full_name
    )
    waived = Waiver.objects.filter(model_id=table.model_id).values("fingerprint")
    return list(found.exclude(fingerprint__in=waived).order_by("rule", "place")[:50])


@register.simple_tag
def names_waiting(area: Area) -> dict[str, Any]:
    """Return open passes with words that wait, and the findings of each model."""
    findings = standards.open_findings(area)
    models = {model.pk: model for model in StoredModel.objects.filter(pk__in=findings)}
    waiting = (
        NamingPass.objects.filter(model__area=area, state=NamingPass.State.OPEN)
        .select_related("model")
        .annotate(waits=Count("words", filter=~Q(words__state="settled")))
        .filter(waits__gt=0)[:6]
    )
    return {
        "passes": [(one, one.waits) for one in waiting],
        "findings": [(models[pk], count) for pk, count in sorted(findings.items())],
    }
