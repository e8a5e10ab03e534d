"""What wordbooks were before a change, kept in its change set so that it can be undone and redone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.changes.recording import record
from indexa.naming.wordbooks.models import BookWord

FIELDS = (
    "wordbook_id",
    "word",
    "abbreviations",
    "context_words",
    "status",
    "meaning",
    "owner_id",
    "evidence",
    "confidence",
)
Record = dict[str, Any]


def record_of(item: BookWord) -> Record:
    """Return all of a word that a change may change."""
    return {field: getattr(item, field) for field in FIELDS}


class Memory:
    """Collects what words were before one change of wordbooks, and what was decided by it."""

    def __init__(self) -> None:
        self.before: dict[int, Record | None] = {}
        self.settled: dict[int, Record] = {}
        """Words of a naming pass that were settled, by id: as what, and beside which words only."""
        self.issues: list[int] = []

    def keep(self, items: Iterable[BookWord]) -> None:
        """Note words, as they are in the store now, before they are changed."""
        for item in items:
            self.before.setdefault(item.pk, record_of(item))

    def made(self, items: Iterable[BookWord]) -> None:
        """Note words that were not there before."""
        for item in items:
            self.before.setdefault(item.pk, None)

    def settle(self, word_id: int, chosen: str, context_words: Iterable[str] = ()) -> None:
        """Note that a word of a naming pass was settled."""
        self.settled[word_id] = {"chosen": chosen, "context_words": list(context_words)}


@contextmanager
def remembered(area: Area, person: Person | None, what: str) -> Iterator[Memory]:
    """Keep what is changed within as one change set; what changes no word leaves none."""
    memory = Memory()
    with transaction.atomic():
        yield memory
        after: dict[int, Record | None] = dict.fromkeys(memory.before)
        after.update((one.pk, record_of(one)) for one in BookWord.objects.filter(pk__in=list(memory.before)))
        if all(after[pk] == before for pk, before in memory.before.items()):
            return
        with record(area=area, person=person, why=what[:300]) as changes:
            for pk, before in memory.before.items():
                now = after[pk]
                label = str((now or before or {}).get("word", ""))
                if before is None:
                    changes.create("word", pk, label, "record", now)
                elif now is None:
                    changes.delete("word", pk, label, "record", before)
                else:
                    changes.update("word", pk, label, "record", before, now)
            for pk, settled in memory.settled.items():
                changes.update("pass word", pk, str(settled["chosen"]), "settled", None, settled)
            for pk in memory.issues:
                changes.update("doubt", pk, what[:300], "state", "open", "taken")
