"""What a column carries, in its margin."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.glossary.models import CodeList, Domain, Term
from indexa.glossary.views import shown
from indexa.store.models import StoredColumn
from indexa.ui.panels import panel


@panel("column margin", order=20, template="glossary/_carried.html")
def of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return what a column carries; None in an area that has no terms, domains or code lists."""
    area = getattr(request, "area", None)
    found = shown(request, column)
    if any(row[3] for row in found["rows"]):
        return found
    return found if any(kind.objects.filter(area=area).exists() for kind in (Term, Domain, CodeList)) else None
