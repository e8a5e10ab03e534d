"""Columns that seem to mean one thing, of whatever model: described once, for all of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from urllib.parse import urlencode

from django.db import connection, transaction

from indexa.areas.models import Area, Person
from indexa.changes.recording import record
from indexa.modeling import editing
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing
from indexa.store.models import DescribedColumn

_MOST = 60


@dataclass(slots=True)
class Concept:
    """Columns of one name and kind of type: how many, how many have a definition, in how many models."""

    name: str
    family: str
    columns: int
    described: int
    models: int

    @property
    def missing(self) -> int:
        """How many have no definition."""
        return self.columns - self.described

    @property
    def address(self) -> str:
        """The query string of its page."""
        return urlencode({"name": self.name, "family": self.family})


@dataclass(slots=True)
class Wording:
    """A definition that could serve all: its text, where it comes from in words, how many have it."""

    text: str
    origin: str
    count: int


@dataclass(slots=True)
class Members:
    """A concept's columns, and the wordings that there are for it, the commonest first."""

    columns: list[DescribedColumn] = field(default_factory=list)
    wordings: list[Wording] = field(default_factory=list)


def concepts(area: Area, text: str = "") -> list[Concept]:
    """Return names that stand in several places and lack a definition in some, those with most to gain first.

    What implements an attribute is described there: attributes count, and columns that implement nothing.
    """
    with connection.cursor() as cursor:
        cursor.execute(
            "select min(name), family, count(*), count(*) filter (where definition <> ''), count(distinct model_id) from described_column "
            "where area_id = %s and attribute_id is null and position(%s in lower(name)) > 0 group by lower(name), family "
            "having count(*) > 1 and count(*) > count(*) filter (where definition <> '') "
            "order by count(*) - count(*) filter (where definition <> '') desc, 1 limit %s",
            [area.pk, text.lower().strip(), _MOST],
        )
        return [Concept(*row) for row in cursor.fetchall()]


def members(area: Area, name: str, family: str) -> Members:
    """Return the columns of a concept, with the wordings that they, and the comments of their sources, offer."""
    found = DescribedColumn.objects.filter(area=area, attribute__isnull=True, name__iexact=name, family=family)
    columns = list(found.select_related("model").order_by("model__name", "schema", "table_name"))
    own = Counter(one.definition for one in columns if one.definition)
    realised = DescribedColumn.objects.filter(attribute__in=[one.pk for one in columns]).exclude(comment="")
    comments = Counter(
        [one.comment for one in columns if one.comment] + list(realised.values_list("comment", flat=True))
    )
    wordings = [Wording(text, "written here", count) for text, count in own.most_common(8)]
    wordings += [
        Wording(text, "the source's comment", count) for text, count in comments.most_common(8) if text not in own
    ]
    return Members(columns, wordings)


@transaction.atomic
def describe(*, area: Area, person: Person, name: str, ids: Collection[int], text: str) -> int:
    """Give some columns of a concept one definition, as one change set; returns how many changed. Raises EditError."""
    text = text.replace("\r\n", "\n").replace("\x00", "").strip()
    if not text:
        raise EditError("Write or choose a definition first.")
    if len(text) > editing.LIMITS["definition"]:
        raise EditError(f"{len(text):,} characters are too many; {editing.LIMITS['definition']:,} are kept.")
    columns = list(DescribedColumn.objects.filter(area=area, pk__in=ids, attribute__isnull=True, name__iexact=name))
    models: Sequence[int] = sorted({one.model_id for one in columns})
    if not all(try_for_editing(model_id) for model_id in models):
        raise EditError("A model is being read at this moment. Nothing was changed: try again in half a minute.")
    with record(
        area=area, person=person, why=f"Described {name} once", model_id=models[0] if len(models) == 1 else None
    ) as changes:
        values = [("column", one.pk, one.definition, text) for one in columns]
        return editing.write_into(changes, area=area, field="definition", values=values)
