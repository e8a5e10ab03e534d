"""The last line of a receipt: whatever the source holds has arrived, or is on it with a reason."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.receipt import Receipt

_ON_RECEIPT = {
    "tables": ("tables", "shadow tables"),
    "types": ("enum types", "domains", "composite types", "range types"),
}
"""What a kind that is counted beforehand is called on the receipt, where it is not called the same."""
CHOSEN_AWAY = "They were not chosen, or belong to what was not."
UNEXPLAINED = "They were seen and not read, and no reason is known: please report it."


def balance(receipt: Receipt, held: Iterable[SchemaCount], choice: Choice) -> None:
    """Note what has neither arrived nor been accounted for, so that counts by kind add up to what the source holds."""
    counted: Counter[str] = Counter()
    for schema in held:
        if choice.takes_schema(schema.schema):
            counted.update(schema.counts)
    narrowed = bool(choice.include or choice.exclude)
    for kind, number in counted.items():
        names = _ON_RECEIPT.get(kind, (kind,))
        arrived = sum(receipt.arrived.get(name, 0) for name in names)
        gone = sum(note.count for note in receipt.left_out() if note.kind in (kind, *names))
        missing = number - arrived - gone
        if missing > 0:
            by_choice = narrowed or kind not in choice.kinds
            receipt.note("left out", kind, CHOSEN_AWAY if by_choice else UNEXPLAINED, missing)
