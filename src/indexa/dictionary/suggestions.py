"""What could serve as the definition of a column that has none, each with where it comes from. Nothing is filled in by itself."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from indexa.core.glossary.proposals import plain
from indexa.glossary.models import Term
from indexa.glossary.services import meaning_of
from indexa.store.models import DescribedColumn, StoredColumn, StoredRelationship

_MOST = 4
_LONGEST = 600


class Suggestion(NamedTuple):
    """A text, and where it comes from in words."""

    text: str
    origin: str


def suggestions(column: StoredColumn, shown: DescribedColumn) -> list[Suggestion]:
    """Return texts for a column without a definition: of its term, the same name elsewhere, what it refers to, its codes."""
    found = [*_of_term(column, shown), *_of_same_name(column, shown), *_of_reference(column), *_of_codes(column)]
    unique = {one.text: one for one in reversed(found) if one.text}
    return [one for one in found if unique.get(one.text) is one][:_MOST]


def _of_term(column: StoredColumn, shown: DescribedColumn) -> list[Suggestion]:
    meaning, _ = meaning_of(column)
    terms = [meaning.term] if meaning is not None and meaning.term is not None else []
    if not terms and shown.business_name:
        terms = list(Term.objects.filter(area=shown.area_id, name__iexact=plain(shown.business_name)))
    return [Suggestion(term.definition, f"the term {term.name}") for term in terms if term.definition]


def _of_same_name(column: StoredColumn, shown: DescribedColumn) -> list[Suggestion]:
    others = DescribedColumn.objects.filter(area=shown.area_id, name__iexact=column.name, family=shown.family).exclude(
        definition=""
    )
    counts = Counter(others.values_list("definition", flat=True)[:200])
    return [
        Suggestion(text, f"{column.name} in {count} other place{'' if count == 1 else 's'}") for text, count in counts.most_common(2)
    ]  # fmt: skip


def _of_reference(column: StoredColumn) -> list[Suggestion]:
    found = StoredRelationship.objects.filter(table=column.table_id, column_ids=[column.pk], ref_table__isnull=False)
    relationship = found.select_related("ref_table__entity").first()
    if relationship is None or relationship.ref_table is None:
        return []
    parent = relationship.ref_table
    entity = parent.entity
    name = parent.business_name or (entity.business_name if entity else "") or parent.name
    told = parent.definition or (entity.definition if entity else "")
    return [
        Suggestion(f"The {name} it belongs to. {told}".strip()[:_LONGEST], f"what it refers to, {parent.full_name}")
    ]


def _of_codes(column: StoredColumn) -> list[Suggestion]:
    meaning, _ = meaning_of(column)
    listed = meaning.code_list if meaning is not None else None
    if listed is None:
        return []
    codes = "; ".join(f"{one.code} {one.meaning}".strip() for one in listed.as_core[:12])
    return [Suggestion(f"{listed.meaning} One of: {codes}.".strip()[:_LONGEST], f"the code list {listed.name}")]
