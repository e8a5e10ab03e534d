"""What the page of proposals asks of the store: groups with their counts, and the first rows of each."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db.models import Avg, Count, F, Max, Min, Q, QuerySet, Window
from django.db.models.functions import RowNumber

from indexa.proposals.models import StoredProposal
from indexa.store.models import StoredModel

SHOWN = 5
"""How many rows of a group are shown before it is opened."""


_WORDS_AROUND_NAMES = {
    StoredProposal.Kind.TYPED_REFERENCE: re.compile(r"( by )"),
    StoredProposal.Kind.SUBTYPE: re.compile(r"(^parts of )"),
    StoredProposal.Kind.REPEATED_COLUMN: re.compile(r"(^columns of | again$)"),
}
"""What is no machine name in the patterns of a kind, as `core.infer` words them."""


@dataclass(slots=True)
class Group:
    """Proposals that have a pattern or a table in common."""

    kind: str
    label: str
    table_id: int
    count: int
    least: float
    most: float
    rows: list[StoredProposal] = field(default_factory=list)

    @property
    def rest(self) -> int:
        """How many rows are not shown."""
        return self.count - len(self.rows)

    @property
    def parts(self) -> list[tuple[str, bool]]:
        """The label in pieces, each with whether it is a machine name."""
        words = _WORDS_AROUND_NAMES.get(StoredProposal.Kind(self.kind)) if self.kind else None
        if words is None:
            return [(self.label, self.is_named)]
        return [(piece, words.fullmatch(piece) is None) for piece in words.split(self.label) if piece]

    @property
    def is_named(self) -> bool:
        """Whether the label is nothing but machine names: a table, or what refers to what."""
        return not self.kind or "→" in self.label


def narrowed(model: StoredModel, *, state: str, kind: str, text: str, least: float) -> QuerySet[StoredProposal]:
    """Return the proposals of a model under the page's filters."""
    found = StoredProposal.objects.filter(model=model, state=state, confidence__gte=least)
    if kind:
        found = found.filter(kind=kind)
    if text:
        found = found.filter(
            Q(table_name__icontains=text)
            | Q(ref_table_name__icontains=text)
            | Q(columns__icontains=text)
            | Q(pattern__icontains=text)
            | Q(text__icontains=text)
        )
    return found


def groups(found: QuerySet[StoredProposal], *, by_table: bool) -> Any:
    """Return the groups of some proposals: the patterns that settle most first, or the tables by name."""
    keys = ("table_id", "table_name") if by_table else ("kind", "pattern")
    counted = found.values(*keys).annotate(
        count=Count("pk"), least=Min("confidence"), most=Max("confidence"), mean=Avg("confidence")
    )
    return (
        counted.order_by("table_name") if by_table else counted.order_by(F("mean") * -1 * F("count"), "kind", "pattern")
    )


def filled(
    found: QuerySet[StoredProposal], page: Sequence[dict[str, object]], *, by_table: bool, shown: int = SHOWN
) -> list[Group]:
    """Return the groups of a page with their first rows; one query for the rows of all."""
    made: dict[object, Group] = {}
    for one in page:
        made[one["table_id"] if by_table else (one["kind"], one["pattern"])] = Group(
            kind=str(one.get("kind", "")), label=str(one["table_name"] if by_table else one["pattern"]),
            table_id=int(str(one.get("table_id") or 0)), count=int(str(one["count"])), least=float(str(one["least"])),
            most=float(str(one["most"])),
        )  # fmt: skip
    wanted = Q(pk__in=[])
    if by_table:
        wanted = Q(table_id__in=[group.table_id for group in made.values()])
    else:
        for group in made.values():
            wanted |= Q(kind=group.kind, pattern=group.label)
    place = Window(
        RowNumber(),
        partition_by=[F("table_id")] if by_table else [F("kind"), F("pattern")],
        order_by=[F("confidence").desc(), F("table_name"), F("pk")],
    )
    rows = found.filter(wanted).annotate(place=place).filter(place__lte=shown).select_related("decided_by")
    for row in rows.order_by("place"):
        made[row.table_id if by_table else (row.kind, row.pattern)].rows.append(row)
    return list(made.values())


def counts(model: StoredModel) -> dict[str, int]:
    """Return how many proposals of a model there are in each state."""
    found = StoredProposal.objects.filter(model=model).values_list("state").annotate(count=Count("pk"))
    return dict.fromkeys(StoredProposal.State.values, 0) | dict(found)
