"""The files of an object, in its margin."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Role
from indexa.attaching.views import shown
from indexa.store.models import StoredColumn, StoredTable
from indexa.ui.panels import panel


@panel("column margin", order=26, template="attaching/_files.html")
def of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return the files of a column."""
    return _shown(request, "column", column.pk)


@panel("table margin", order=26, template="attaching/_files.html")
def of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the files of a table."""
    return _shown(request, "table", table.pk)


@panel("meaning margin", order=26, template="attaching/_files.html")
def of_meaning(request: HttpRequest, subject: tuple[str, int]) -> dict[str, Any] | None:
    """Return the files of a term, code list, domain or rule."""
    return _shown(request, *subject)


def _shown(request: HttpRequest, target: str, pk: int) -> dict[str, Any] | None:
    found = shown(request, target, pk)
    return found if found["files"] or getattr(request, "role", Role.READER) >= Role.STEWARD else None
