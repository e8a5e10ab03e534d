"""Columns that seem to mean one thing, of whatever model: described once, for all of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from urllib.parse import urlencode

from django.db import connection, transaction
from django.db.models import Q
from django.db.models.functions import Lower

from indexa.areas.models import Area, Person
from indexa.changes.recording import record
from indexa.modeling import editing
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing
from indexa.store.models import DescribedColumn, StoredRelationship

_MOST, _MOST_MEMBERS = 60, 300
_KEYS_AWAY = 3
"""Foreign keys, one after the other, over which a column still means the same."""


@dataclass(slots=True)
class Concept:
    """Columns of one name, or of several names and one business name, and one kind of type: how many, how many have a definition,
    in how many models."""

    name: str
    family: str
    columns: int
    described: int
    models: int
    by_words: bool
    """Whether `name` is a business name."""

    @property
    def missing(self) -> int:
        """How many have no definition."""
        return self.columns - self.described

    @property
    def address(self) -> str:
        """The query string of its page."""
        return urlencode({"name": self.name, "family": self.family} | ({"by": "words"} if self.by_words else {}))


@dataclass(slots=True)
class Wording:
    """A definition that could serve all: its text, where it comes from in words, how many have it."""

    text: str
    origin: str
    count: int


@dataclass(slots=True)
class Member:
    """A column of a concept: why it is one, and whether it surely is."""

    column: DescribedColumn
    reason: str
    is_sure: bool


@dataclass(slots=True)
class Members:
    """A concept's columns, the sure ones first, and the wordings that there are for it, the commonest first."""

    columns: list[Member] = field(default_factory=list)
    wordings: list[Wording] = field(default_factory=list)


_GROUPS = """
select min({name}), family, count(*), count(*) filter (where definition <> ''), count(distinct model_id), {by_words} from described_column
where area_id = %s and attribute_id is null and {name} <> '' and position(%s in lower({name})) > 0 group by lower({name}), family
having count(*) > 1 and count(*) > count(*) filter (where definition <> '') {more}"""
_BY_NAME = _GROUPS.format(name="name", by_words="false", more="")
_BY_WORDS = _GROUPS.format(name="business_name", by_words="true", more="and count(distinct lower(name)) > 1")


def concepts(area: Area, text: str = "") -> list[Concept]:
    """Return names, and business names of several names, that stand in several places and lack a definition in some, those with most
    to gain first.

    What implements an attribute is described there: attributes count, and columns that implement nothing.
    """
    wanted = text.lower().strip()
    with connection.cursor() as cursor:
        cursor.execute(
            f"select * from ({_BY_NAME} union all {_BY_WORDS}) found(name, family, columns, described, models, by_words) "
            f"order by columns - described desc, name limit {_MOST}",
            [area.pk, wanted, area.pk, wanted],
        )
        return [Concept(*row) for row in cursor.fetchall()]


def members(area: Area, name: str, family: str, *, by_words: bool = False) -> Members:
    """Return the columns of a concept: those of its name, then those that keys relate to them and those of the same business name.

    With them come the wordings that they, and the comments of their sources, offer.
    """
    every = DescribedColumn.objects.filter(area=area, attribute__isnull=True, family=family).select_related("model")
    order = ("model__name", "schema", "table_name", "position")
    field_name = "business_name" if by_words else "name"
    sure = list(every.filter(**{f"{field_name}__iexact": name}).order_by(*order)[:_MOST_MEMBERS])
    found = [Member(one, "the same business name" if by_words else "the same name", True) for one in sure]
    known = {one.pk for one in sure}
    related = _related_by_keys(known)
    found += [
        Member(one, related[one.pk], False)
        for one in every.filter(pk__in=related.keys() - known).order_by(*order)[:_MOST_MEMBERS]
    ]
    known |= related.keys()
    words = {one.business_name.lower() for one in sure if one.business_name}
    if words and not by_words:
        same = every.annotate(low=Lower("business_name")).filter(low__in=words).exclude(pk__in=known)
        found += [Member(one, "the same business name", False) for one in same.order_by(*order)[:_MOST_MEMBERS]]
    return Members(found, _wordings([one.column for one in found]))


def _related_by_keys(ids: set[int]) -> dict[int, str]:
    """Return columns that foreign keys relate to some, over several of them, with the reason."""
    found: dict[int, str] = {}
    latest, seen = set(ids), set(ids)
    for _ in range(_KEYS_AWAY):
        ends = Q(column_ids__overlap=list(latest)) | Q(ref_column_ids__overlap=list(latest))
        rows = StoredRelationship.objects.filter(ends, table__removed_at__isnull=True).select_related(
            "table", "ref_table"
        )
        reached: dict[int, str] = {}
        for row in rows[:_MOST_MEMBERS]:
            for own, other in zip(row.column_ids, row.ref_column_ids, strict=False):
                if own in latest and other not in seen and row.ref_table is not None:
                    reached[other] = f"{row.table.full_name} refers to it"
                if other in latest and own not in seen and row.ref_table is not None:
                    reached[own] = f"it refers to {row.ref_table.full_name}"
        found |= reached
        seen |= reached.keys()
        latest = set(reached)
        if not latest:
            break
    return found


def _wordings(columns: Sequence[DescribedColumn]) -> list[Wording]:
    own = Counter(one.definition for one in columns if one.definition)
    realised = DescribedColumn.objects.filter(attribute__in=[one.pk for one in columns]).exclude(comment="")
    comments = Counter(
        [one.comment for one in columns if one.comment] + list(realised.values_list("comment", flat=True))
    )
    found = [Wording(text, "written here", count) for text, count in own.most_common(8)]
    return found + [
        Wording(text, "the source's comment", count) for text, count in comments.most_common(8) if text not in own
    ]


@transaction.atomic
def describe(*, area: Area, person: Person, name: str, ids: Collection[int], text: str) -> int:
    """Give some columns one definition, as one change set; returns how many changed. `name` is what they are called together.

    Raises EditError.
    """
    text = text.replace("\r\n", "\n").replace("\x00", "").strip()
    if not text:
        raise EditError("Write or choose a definition first.")
    if len(text) > editing.LIMITS["definition"]:
        raise EditError(f"{len(text):,} characters are too many; {editing.LIMITS['definition']:,} are kept.")
    columns = list(DescribedColumn.objects.filter(area=area, pk__in=ids, attribute__isnull=True))
    models: Sequence[int] = sorted({one.model_id for one in columns})
    if not all(try_for_editing(model_id) for model_id in models):
        raise EditError("A model is being read at this moment. Nothing was changed: try again in half a minute.")
    with record(
        area=area, person=person, why=f"Described {name} once", model_id=models[0] if len(models) == 1 else None
    ) as changes:
        values = [("column", one.pk, one.definition, text) for one in columns]
        return editing.write_into(changes, area=area, field="definition", values=values)
