"""Doubtful words: two words for one concept, one short form with two meanings, slips; kept until a person decides."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.core.naming.expanding import Part, business_name
from indexa.core.naming.mining import Found
from indexa.naming.errors import WordError
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import TermIssue
from indexa.naming.wordbooks.records import remembered


def keep(area: Area, found: Sequence[Found]) -> int:
    """Keep what was found odd, but for what somebody decided or that is there. Returns how many are new."""
    rows = [
        TermIssue(
            area=area, kind=one.kind, short=one.short[:200], word=one.word[:400], confidence=one.confidence,
            evidence=list(one.evidence), places=list(one.places), count=one.count,
        )
        for one in found
        if one.kind in TermIssue.Kind.values
    ]  # fmt: skip
    before = TermIssue.objects.filter(area=area).count()
    TermIssue.objects.bulk_create(rows, ignore_conflicts=True, batch_size=2_000)
    return TermIssue.objects.filter(area=area).count() - before


@transaction.atomic
def decide(*, area: Area, person: Person, doubt_id: int, act: str) -> tuple[TermIssue, str]:
    """Decide a doubt; returns it and a sentence on what became of it. Raises WordError.

    "take": a slip or the rarer of two words is told as the other one from now on; both meanings of a short form go into the
    wordbook. "other": of two words the rarer one is said. "reject": it is as it should be, and is not asked again.
    """
    issue = TermIssue.objects.select_for_update(of=("self",)).filter(area=area, pk=doubt_id).first()
    if issue is None:
        raise WordError("It is no longer there. Load the page again.")
    if issue.state != TermIssue.State.OPEN:
        raise WordError("Somebody decided it already. Load the page again.")
    if act not in ("take", "other", "reject"):
        raise WordError("There is no such decision.")
    text = f"{issue.short} is as it should be."
    if act != "reject":
        word, short = (issue.short, issue.word) if act == "other" else (issue.word, issue.short)
        words = word.split("; ") if issue.kind == TermIssue.Kind.HOMONYM else [word]
        book = wordbooks.own_book(area)
        with remembered(area, person, f"{short}: {word}") as memory:
            memory.issues = [issue.pk]
            for one in words:
                spoken = business_name([Part(one, one.replace(" ", "_"))])
                wordbooks.learn(book=book, person=person, word=spoken, short=short, memory=memory)
        text = f"{short} stands for {' or '.join(words)} in {book.name}."
    issue.state = TermIssue.State.REJECTED if act == "reject" else TermIssue.State.TAKEN
    issue.by = person
    issue.save(update_fields=["state", "by"])
    return issue, text
