"""Doubtful words: two words for one concept, one short form with two meanings, slips; kept until a person decides."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.core.naming.expanding import Part, business_name
from indexa.core.naming.mining import Found
from indexa.naming import wordbooks
from indexa.naming.errors import WordError
from indexa.naming.models import Doubt
from indexa.naming.word_memory import remembered


def keep(area: Area, found: Sequence[Found]) -> int:
    """Keep what was found odd, but for what somebody decided or that is there. Returns how many are new."""
    rows = [
        Doubt(
            area=area, kind=one.kind, short=one.short[:200], word=one.word[:400], confidence=one.confidence,
            evidence=list(one.evidence), places=list(one.places), count=one.count,
        )
        for one in found
        if one.kind in Doubt.Kind.values
    ]  # fmt: skip
    before = Doubt.objects.filter(area=area).count()
    Doubt.objects.bulk_create(rows, ignore_conflicts=True, batch_size=2_000)
    return Doubt.objects.filter(area=area).count() - before


@transaction.atomic
def decide(*, area: Area, person: Person, doubt_id: int, act: str) -> tuple[Doubt, str]:
    """Decide a doubt; returns it and a sentence on what became of it. Raises WordError.

    "take": a slip or the rarer of two words is told as the other one from now on; both meanings of a short form go into the
    wordbook. "other": of two words the rarer one is said. "reject": it is as it should be, and is not asked again.
    """
    doubt = Doubt.objects.select_for_update(of=("self",)).filter(area=area, pk=doubt_id).first()
    if doubt is None:
        raise WordError("It is no longer there. Load the page again.")
    if doubt.state != Doubt.State.OPEN:
        raise WordError("Somebody decided it already. Load the page again.")
    if act not in ("take", "other", "reject"):
        raise WordError("There is no such decision.")
    told = f"{doubt.short} is as it should be."
    if act != "reject":
        word, short = (doubt.short, doubt.word) if act == "other" else (doubt.word, doubt.short)
        words = word.split("; ") if doubt.kind == Doubt.Kind.HOMONYM else [word]
        book = wordbooks.own_book(area)
        with remembered(area, person, f"{short}: {word}") as memory:
            memory.doubts = [doubt.pk]
            for one in words:
                spoken = business_name([Part(one, one.replace(" ", "_"))])
                wordbooks.learn(book=book, person=person, word=spoken, short=short, memory=memory)
        told = f"{short} stands for {' or '.join(words)} in {book.name}."
    doubt.state = Doubt.State.REJECTED if act == "reject" else Doubt.State.TAKEN
    doubt.by = person
    doubt.save(update_fields=["state", "by"])
    return doubt, told
