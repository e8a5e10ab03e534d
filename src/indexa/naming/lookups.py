"""Words of the wordbooks in the lookup."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urlencode

from django.db.models import Q
from django.urls import reverse

from indexa.areas.models import Area
from indexa.naming.wordbooks.models import BookWord
from indexa.ui.lookups import Result, lookup

_MOST = 3


@lookup(order=45)
def words(area: Area, text: str) -> Iterator[Result]:
    """Return words that begin so, or whose short form is so, with the wordbook they stand in."""
    found = BookWord.objects.filter(wordbook__uses__area=area).select_related("wordbook")
    found = found.filter(Q(word__istartswith=text) | Q(abbreviations__contains=[text.lower()]))
    for one in found.order_by("word").distinct()[:_MOST]:
        address = f"{reverse('naming:wordbook', args=[area.slug])}?{urlencode({'q': one.word})}"
        yield Result("Word", address, one.word, within=one.wordbook.name)
