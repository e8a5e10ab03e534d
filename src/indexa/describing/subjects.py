"""What something can be said of or attached to, beside tables and columns: each app registers its own kinds of object."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from django.urls import reverse

from indexa.areas.models import Area
from indexa.store.errors import EditError
from indexa.store.models import StoredColumn, StoredTable


class SubjectKind(NamedTuple):
    """A kind of object: what one of an area is called (None where it is not there), and the address of its page."""

    label_of: Callable[[Area, int], str | None]
    address_of: Callable[[Area, int], str]


_kinds: dict[str, SubjectKind] = {}


def register(name: str, kind: SubjectKind) -> None:
    """Make a kind known."""
    _kinds[name] = kind


def is_known(name: str) -> bool:
    """Return whether there is such a kind."""
    return name in _kinds


def label_of(area: Area, name: str, object_id: int) -> str:
    """Return what an object is called. Raises EditError where it is not in the area."""
    found = _kinds[name].label_of(area, object_id) if name in _kinds else None
    if found is None:
        raise EditError("What this is about is no longer there. Load the page again.")
    return found


def address_of(area: Area, name: str, object_id: int) -> str:
    """Return the page of an object."""
    return _kinds[name].address_of(area, object_id)


def _table(area: Area, object_id: int) -> str | None:
    table = StoredTable.objects.filter(pk=object_id, model__area=area).first()
    return table.full_name if table else None


def _column(area: Area, object_id: int) -> str | None:
    column = StoredColumn.objects.select_related("table").filter(pk=object_id, table__model__area=area).first()
    return f"{column.table.full_name}.{column.name}" if column else None


def _column_address(area: Area, object_id: int) -> str:
    table = StoredColumn.objects.values_list("table_id", flat=True).get(pk=object_id)
    return f"{reverse('modeling:table', args=[area.slug, table])}?column={object_id}"


register("table", SubjectKind(_table, lambda area, pk: reverse("modeling:table", args=[area.slug, pk])))
register("column", SubjectKind(_column, _column_address))
