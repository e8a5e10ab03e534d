"""Change sets in words: how much of what they hold, in the unit in which people think of it."""

from __future__ import annotations

from typing import NamedTuple

from django.db.models import Count

from indexa.changes import targets
from indexa.changes.models import ChangeSet

_UNITS = {
    ("proposal", "state"): ("proposal", "proposals"),
    ("word", "record"): ("word", "words"),
    ("", "business_name"): ("business name", "business names"),
    ("", "definition"): ("definition", "definitions"),
    ("", "name"): ("name", "names"),
}
"""What is counted, the first that a change set has; "" stands for any kind of object."""


class Amount(NamedTuple):
    """How much a change set holds, counted in the unit in which people think of it, and in words."""

    number: int
    words: str


def amount(change_set: ChangeSet) -> Amount:
    """Return how much a change set holds: "20 proposals", "449 business names", or its one change."""
    counts = {
        (row["target"], row["field"]): row["count"]
        for row in change_set.changes.values("target", "field").annotate(count=Count("id"))
    }
    total = sum(counts.values())
    if change_set.before_snapshot_id is not None:
        return _counted(total, "difference of a reading", "differences of a reading")
    if total == 1:
        change = change_set.changes.get()
        return Amount(1, f"{targets.field_label(change.target, change.field).lower()} of {change.label}")
    for (target, field), (one, many) in _UNITS.items():
        if count := sum(n for (t, f), n in counts.items() if f == field and target in ("", t)):
            return _counted(count, one, many)
    return _counted(total, "change", "changes")


def _counted(count: int, one: str, many: str) -> Amount:
    return Amount(count, f"{count:,} {one if count == 1 else many}")


def described(change_set: ChangeSet) -> str:
    """Return what a change set is, for a question: what was done, how much, and where."""
    what = amount(change_set).words
    name = f"“{change_set.why}”: ".replace("`", "") if change_set.why else ""
    where = f" in {change_set.model.name}" if change_set.model else ""
    return f"{name}{what}{where}"
