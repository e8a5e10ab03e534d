"""What wordbooks were before a change, and taking changes of words back."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.naming.errors import WordError
from indexa.naming.models import BookWord, Doubt, WordChange

_FIELDS = ("wordbook_id", "word", "shorts", "beside", "status", "meaning", "owner_id", "evidence", "confidence")
Record = dict[str, Any]


def _record(item: BookWord) -> Record:
    return {field: getattr(item, field) for field in _FIELDS}


class Memory:
    """Collects what words were before one change of wordbooks."""

    def __init__(self) -> None:
        self.before: dict[int, Record | None] = {}
        self.settled: list[int] = []
        self.doubts: list[int] = []

    def keep(self, items: Iterable[BookWord]) -> None:
        """Note words, as they are in the store now, before they are changed."""
        for item in items:
            self.before.setdefault(item.pk, _record(item))

    def made(self, items: Iterable[BookWord]) -> None:
        """Note words that were not there before."""
        for item in items:
            self.before.setdefault(item.pk, None)


@contextmanager
def remembered(area: Area, person: Person | None, what: str) -> Iterator[Memory]:
    """Keep what is changed within as one change of words that can be taken back."""
    memory = Memory()
    yield memory
    if memory.before:
        after: dict[int, Record | None] = dict.fromkeys(memory.before)
        after.update((one.pk, _record(one)) for one in BookWord.objects.filter(pk__in=list(memory.before)))
        if any(after[pk] != record for pk, record in memory.before.items()):
            WordChange.objects.create(
                area=area, person=person, what=what[:300], before=memory.before, after=after,
                settled=memory.settled, doubts=memory.doubts,
            )  # fmt: skip


def last_change(area: Area, person: Person) -> WordChange | None:
    """Return the last change of words of a person that was not taken back."""
    return WordChange.objects.filter(area=area, person=person, undone_at__isnull=True).first()


@transaction.atomic
def take_back(change: WordChange) -> None:
    """Give all words of a change what they had before it. Raises WordError where one was changed again since."""
    ids = [int(pk) for pk in change.before]
    now = {str(one.pk): one for one in BookWord.objects.select_for_update(of=("self",)).filter(pk__in=ids)}
    for pk, record in change.after.items():
        item = now.get(pk)
        if (None if item is None else _record(item)) != record:
            word = (record or change.before[pk] or {}).get("word", "")
            raise WordError(f"Not undone: “{word}” was changed again since.")
    for pk, record in change.before.items():
        if record is None:
            now[pk].delete()
        else:
            taken = BookWord.objects.filter(wordbook_id=record["wordbook_id"], word__iexact=record["word"]).exclude(
                pk=pk
            )
            if taken.exists():
                raise WordError(f"Not undone: the wordbook has “{record['word']}” anew.")
            BookWord(pk=int(pk), **record).save()
    Doubt.objects.filter(pk__in=change.doubts).update(state=Doubt.State.OPEN, by=None)
    change.undone_at = timezone.now()
    change.save(update_fields=["undone_at"])
