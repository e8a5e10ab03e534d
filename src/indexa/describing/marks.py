"""Colours of diagrams by what is said of tables: who owns them, and how they are classified."""

from __future__ import annotations

from indexa.core.diagram.marks import Mark, Values, register_mark
from indexa.core.diagram.parts import Drawing
from indexa.describing.models import Aspect
from indexa.describing.saying import said_of_tables
from indexa.store.models import StoredTable


def _of_kind(drawing: Drawing, kind: str) -> Values:
    """Return the value of each card's table under the area's first aspect of a kind."""
    ids = {int(card.id[1:]): card.key for card in drawing.cards if card.id}
    first = StoredTable.objects.filter(pk__in=ids).select_related("model").first()
    found = Aspect.objects.filter(area=first.model.area_id, kind=kind, applies__contains=["table"]) if first else None
    aspect = found.first() if found is not None else None
    if aspect is None:
        return {}
    said = said_of_tables(aspect, list(ids))
    return {key: said.get(id_, "") for id_, key in ids.items()}


register_mark(Mark("owner", "who owns them", lambda drawing: _of_kind(drawing, "owner")))
register_mark(Mark("class", "classification", lambda drawing: _of_kind(drawing, "class")))
