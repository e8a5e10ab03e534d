"""The kinds of objects of wordbooks and naming passes that can be undone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.db.models.functions import Lower

from indexa.changes.errors import Conflict
from indexa.changes.models import Change, ChangeSet
from indexa.changes.targets import PlainField, TargetKind, register
from indexa.changes.whole_records import RecordField
from indexa.naming.passes import decisions as settling
from indexa.naming.wordbooks.models import BookWord, Wordbook
from indexa.naming.wordbooks.records import record_of

_NOBODY = ", by_id = case when c.after #>> '{}' = 'open' then null else o.by_id end"
"""What is open again was decided by nobody."""


def _words_in_the_way(done: ChangeSet, back: Sequence[Change]) -> Mapping[int, str]:
    """Return the words that have no place in their wordbook any more."""
    books = set(Wordbook.objects.values_list("pk", flat=True))
    records = {change.object_id: change.before or {} for change in back}
    words = [one["word"].lower() for one in records.values()]
    taken = BookWord.objects.annotate(lower=Lower("word")).filter(lower__in=words).exclude(pk__in=list(records))
    there = set(taken.values_list("wordbook_id", "lower"))
    anew = {
        id_: f"the wordbook has “{one['word']}” anew"
        for id_, one in records.items()
        if (one["wordbook_id"], one["word"].lower()) in there
    }
    gone = {id_: "its wordbook was deleted" for id_, one in records.items() if one["wordbook_id"] not in books}
    return anew | gone


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


register(TargetKind("word", "Word", {"record": RecordField("Word", BookWord.objects, record_of, _words_in_the_way)}))
register(TargetKind("pass word", "Word of a naming pass", {"settled": SettledField()}))
register(TargetKind("doubt", "Doubtful word", {"state": PlainField("Decision", "word_doubt", "state", also=_NOBODY)}))
