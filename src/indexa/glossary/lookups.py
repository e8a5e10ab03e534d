"""Terms, code lists, domains and rules in the lookup."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import Q
from django.urls import reverse

from indexa.areas.models import Area
from indexa.glossary.models import CodeList, Domain, Rule, Term
from indexa.ui.lookups import Result, lookup

_MOST = 4


@lookup(order=55)
def codes(area: Area, text: str) -> Iterator[Result]:
    """Return codes that are called so, or whose meaning holds the text, with the list they stand in."""
    wanted, count = text.casefold(), 0
    for item in CodeList.objects.filter(area=area, codes__icontains=text).order_by("name")[:_MOST]:
        for one in item.as_core:
            if count < _MOST and (one.code.casefold() == wanted or wanted in one.meaning.casefold()):
                count += 1
                address = reverse("glossary:item", args=[area.slug, "lists", item.pk])
                yield Result("Code", address, one.code, True, one.meaning, within=item.name)


@lookup(order=30)
def meanings(area: Area, text: str) -> Iterator[Result]:
    """Return terms by name or synonym, then code lists, domains and rules by name."""
    terms = Term.objects.filter(area=area).filter(Q(name__icontains=text) | Q(synonyms__icontains=text))
    for kind, label, found in (
        ("terms", "Term", terms), ("lists", "Code list", CodeList.objects.filter(area=area, name__icontains=text)),
        ("domains", "Domain", Domain.objects.filter(area=area, name__icontains=text)),
        ("rules", "Rule", Rule.objects.filter(area=area, name__icontains=text)),
    ):  # fmt: skip
        for item in found.order_by("name")[:_MOST]:
            yield Result(label, reverse("glossary:item", args=[area.slug, kind, item.pk]), item.name)
