"""The kinds of objects of wordbooks and naming passes that can be undone."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models.functions import Lower

from indexa.changes.errors import Conflict
from indexa.changes.models import Change, ChangeSet
from indexa.changes.targets import MOST_CONFLICTS, PlainField, TargetKind, last_writer, register
from indexa.naming.passes import decisions as settling
from indexa.naming.wordbooks.models import BookWord, Wordbook
from indexa.naming.wordbooks.records import record_of

_AT_ONCE = 2_000
_NOBODY = ", by_id = case when c.after #>> '{}' = 'open' then null else o.by_id end"
"""What is open again was decided by nobody."""


@dataclass(frozen=True)
class WordField:
    """A word of a wordbook, as a whole."""

    label: str = "Word"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Return the words that were changed again, and those that have no place in their wordbook any more."""
        changes = list(done.changes.filter(target=target, field=field))
        now = BookWord.objects.in_bulk([change.object_id for change in changes])
        books = set(Wordbook.objects.values_list("pk", flat=True))
        ours = {change.object_id for change in changes}
        back = [change.before["word"].lower() for change in changes if change.before]
        taken = BookWord.objects.annotate(lower=Lower("word")).filter(lower__in=back).exclude(pk__in=ours)
        there = {(book, word) for book, word in taken.values_list("wordbook_id", "lower")}
        found = []
        for change in changes:
            item = now.get(change.object_id)
            if (record_of(item) if item else None) != change.after:
                by = last_writer(target, change.object_id, field, done.pk)
                found.append(Conflict(change.label, self.label, f"{by or 'somebody'} has changed it since", by))
            elif change.before and change.before["wordbook_id"] not in books:
                found.append(Conflict(change.label, self.label, "its wordbook was deleted"))
            elif change.before and (change.before["wordbook_id"], change.before["word"].lower()) in there:
                found.append(Conflict(change.label, self.label, f"the wordbook has “{change.before['word']}” anew"))
        return found[:MOST_CONFLICTS]

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Make, change and delete words as the changes say."""
        changes = list(inverse.changes.filter(target=target, field=field))
        gone = [change.object_id for change in changes if change.after is None]
        BookWord.objects.filter(pk__in=gone).delete()
        made = {one.object_id: one.after or {} for one in changes if one.operation == Change.Operation.CREATE}
        kept = {one.object_id: one.after or {} for one in changes if one.operation == Change.Operation.UPDATE}
        BookWord.objects.bulk_create([BookWord(pk=id_, **record) for id_, record in made.items()], batch_size=_AT_ONCE)
        there = BookWord.objects.in_bulk(list(kept))
        for id_, record in kept.items():
            for name, value in record.items():
                setattr(there[id_], name, value)
        names = [
            "wordbook",
            "word",
            "abbreviations",
            "context_words",
            "status",
            "meaning",
            "owner",
            "evidence",
            "confidence",
        ]
        BookWord.objects.bulk_update(there.values(), names, batch_size=_AT_ONCE)


@dataclass(frozen=True)
class SettledField:
    """Whether a word of a naming pass is settled, and as what. Only passes that are open follow."""

    label: str = "Decision"

    def conflicts(self, done: ChangeSet, target: str, field: str) -> list[Conflict]:
        """Nothing: what the wordbook learned by it was looked at."""
        return []

    def write(self, inverse: ChangeSet, target: str, field: str) -> None:
        """Open the words again, or settle them again; the names that have them follow."""
        changes = inverse.changes.filter(target=target, field=field)
        settling.reattach({change.object_id: change.after for change in changes})


register(TargetKind("word", "Word", {"record": WordField()}))
register(TargetKind("pass word", "Word of a naming pass", {"settled": SettledField()}))
register(TargetKind("doubt", "Doubtful word", {"state": PlainField("Decision", "word_doubt", "state", also=_NOBODY)}))
