"""What a column carries, in its margin."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from indexa.areas.models import Role
from indexa.glossary.models import CodeList, Domain, Rule, Term
from indexa.glossary.views import rules_shown, shown
from indexa.store.models import StoredColumn, StoredTable
from indexa.ui.panels import panel


@panel("column margin", order=20, template="glossary/_carried.html")
def of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return what a column carries; None in an area that has no terms, domains or code lists."""
    area = getattr(request, "area", None)
    found = shown(request, column)
    if any(row[3] for row in found["rows"]):
        return found
    return found if any(kind.objects.filter(area=area).exists() for kind in (Term, Domain, CodeList)) else None


@panel("column margin", order=22, template="glossary/_rules.html")
def rules_of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return the rules that govern a column."""
    return _rules(request, "column", column.pk)


@panel("table margin", order=22, template="glossary/_rules.html")
def rules_of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return the rules that govern a table."""
    return _rules(request, "table", table.pk)


def _rules(request: HttpRequest, target: str, pk: int) -> dict[str, Any] | None:
    found = rules_shown(request, target, pk)
    may_add = getattr(request, "role", Role.READER) >= Role.STEWARD and Rule.objects.filter(area=request.area).exists()  # type: ignore[attr-defined]
    return found if found["rules"] or may_add else None
