"""What is said of a model, a table and a column, on their pages."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest
from django.urls import reverse

from indexa.areas.models import Area, Membership
from indexa.describing.models import Assignment, Team
from indexa.describing.saying import Subject, in_words, label_of
from indexa.describing.views import shown
from indexa.store.errors import EditError
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.ui.panels import panel

_MOST_SCHEMAS, _MOST_TOLD = 100, 60


@panel("column margin", order=10, template="describing/_sayings.html")
def of_column(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return what holds for a column."""
    return _shown(request, "column", column.pk)


@panel("table margin", order=10, template="describing/_sayings.html")
def of_table(request: HttpRequest, table: StoredTable) -> dict[str, Any] | None:
    """Return what holds for a table."""
    return _shown(request, "table", table.pk)


@panel("meaning margin", order=10, template="describing/_sayings.html")
def of_meaning(request: HttpRequest, subject: tuple[str, int]) -> dict[str, Any] | None:
    """Return what holds for a term."""
    return _shown(request, *subject)


@panel("model more", order=8, template="describing/_model_sayings.html")
def of_model(request: HttpRequest, model: StoredModel) -> dict[str, Any] | None:
    """Return what holds for a model, and the sections of its schemas."""
    found = _shown(request, "model", model.pk)
    if found is None:
        return None
    tables = StoredTable.objects.filter(model=model, removed_at__isnull=True).exclude(schema="")
    address = reverse("describing:say", args=[model.area.slug, "schema", model.pk])
    names = tables.values_list("schema", flat=True).distinct().order_by("schema")[:_MOST_SCHEMAS]
    return found | {"schemas": [(name, f"{address}?{urlencode({'schema': name})}") for name in names]}


@panel("person", order=10, template="describing/_of_person.html")
def of_person(request: HttpRequest, member: Membership) -> dict[str, Any] | None:
    """Return what a person owns and looks after, themselves or with a team."""
    teams = list(Team.objects.filter(area=member.area_id, members=member.person_id))
    values = [f"p{member.person_id}", *(f"t{team.pk}" for team in teams)]
    rows = Assignment.objects.filter(aspect__area=member.area_id, value__in=values).select_related("aspect")
    words = in_words(values)
    told = [
        (row, _label(member.area, row), words.get(row.value, ""))
        for row in rows.order_by("aspect", "level")[:_MOST_TOLD]
    ]
    return {"teams": teams, "told": [one for one in told if one[1]]} if teams or told else None


def _label(area: Area, row: Assignment) -> str:
    try:
        return label_of(area, Subject(row.level, row.object_id, row.schema))
    except EditError:
        return ""


def _shown(request: HttpRequest, level: str, object_id: int) -> dict[str, Any] | None:
    found = shown(request, level, object_id)
    return found if found["sayings"] else None
