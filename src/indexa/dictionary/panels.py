"""What the dictionary has to say on the desk: where definitions are missing most."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from django.db import connection
from django.db.models import Sum
from django.http import HttpRequest

from indexa.areas.models import Area, Role
from indexa.describing.models import Aspect, Team
from indexa.dictionary import coverage
from indexa.dictionary.models import DictionaryCoverage, DictionaryRow
from indexa.dictionary.suggestions import suggestions
from indexa.store.models import DescribedColumn, StoredColumn
from indexa.ui.panels import panel

_MOST = 15


@panel("desk aside", order=15, template="dictionary/_desk_coverage.html")
def coverage_of_area(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return how far the area's physical models are, now and over time."""
    sums = DictionaryCoverage.objects.filter(model_id__in=area.models.filter(layer="physical").values("pk")).aggregate(
        columns=Sum("columns"), **{name: Sum(name) for name in coverage.MEASURES}
    )
    if not sums["columns"]:
        return None
    shares = [(label, sums[name]) for name, label in coverage.MEASURES.items()]
    return {"shares": shares, "columns": sums["columns"], "chart": coverage.history(area)}


@panel("column margin", order=2, template="dictionary/_suggestions.html")
def suggestions_for(request: HttpRequest, column: StoredColumn) -> dict[str, Any] | None:
    """Return what could serve as a column's definition, for those who may write one, where it has none."""
    shown = DescribedColumn.objects.filter(pk=column.pk).first()
    if shown is None or shown.definition or getattr(request, "role", Role.READER) < Role.STEWARD:
        return None
    found = suggestions(column, shown)
    return {"suggestions": found, "column": column} if found else None


class Gap(NamedTuple):
    """A table with undescribed columns; `degree` is the number of its relationships, `views` how often its page was opened."""

    table_id: int
    name: str
    model: str
    business_name: str
    columns: int
    described: int
    degree: int
    views: int


@panel("desk", order=60, template="dictionary/_desk.html")
def gaps_of_area(request: HttpRequest, area: Area) -> dict[str, Any] | None:
    """Return the gaps that matter most."""
    own = _own_tables(request, area)
    is_mine = bool(own) and request.GET.get("gaps") != "all"
    found = gaps(area, own if is_mine else None)
    return {
        "gaps": found, "several_models": len({gap.model for gap in found}) > 1, "has_own": bool(own), "is_mine": is_mine,
    }  # fmt: skip


def _own_tables(request: HttpRequest, area: Area) -> list[int]:
    """Return the tables with columns that a person, or a team of theirs, owns or looks after and that lack a definition."""
    aspects = Aspect.objects.filter(area=area, kind__in=(Aspect.Kind.OWNER, Aspect.Kind.STEWARD)).values_list(
        "pk", flat=True
    )
    teams = Team.objects.filter(area=area, members=request.user.pk).values_list("pk", flat=True)
    signs = [f"p{request.user.pk}", *(f"t{pk}" for pk in teams)]
    said = [f"{aspect}:{sign}" for aspect in aspects for sign in signs]
    rows = DictionaryRow.objects.filter(area_id=area.pk, layer="physical", described=False, said__overlap=said)
    return list(rows.values_list("table_id", flat=True).distinct()) if said else []


def gaps(area: Area, among: Sequence[int] | None = None, limit: int = _MOST) -> list[Gap]:
    """Return the tables (`among` some) whose gaps matter most: the most connected and most viewed first, then those with most to do."""
    sql = """
    with gaps as (
      select c.table_id, c.columns, c.described from dictionary_coverage c join model m on m.id = c.model_id
      where m.area_id = %(area)s and m.layer = 'physical' and c.described < c.columns
      and (%(among)s::bigint[] is null or c.table_id = any(%(among)s))
    ), degrees as (
      select id, count(*) as degree from (
        select r.table_id as id from model_relationship r join gaps on gaps.table_id = r.table_id
        union all
        select r.ref_table_id from model_relationship r join gaps on gaps.table_id = r.ref_table_id
      ) ends group by 1
    ), first as (
      select g.*, coalesce(d.degree, 0) as degree, coalesce(v.count, 0) as views from gaps g
      left join degrees d on d.id = g.table_id left join table_views v on v.table_id = g.table_id
      order by coalesce(d.degree, 0) + coalesce(v.count, 0) desc, g.columns - g.described desc limit 1000
    )
    select f.table_id, concat_ws('.', nullif(t.schema, ''), t.name), m.name, coalesce(nullif(t.business_name, ''), e.business_name, ''),
           f.columns, f.described, f.degree, f.views
    from first f join model_table t on t.id = f.table_id join model m on m.id = t.model_id left join model_table e on e.id = t.entity_id
    order by f.degree + f.views desc, f.columns - f.described desc, 2 limit %(limit)s"""
    with connection.cursor() as cursor:
        cursor.execute(sql, {"area": area.pk, "limit": limit, "among": None if among is None else list(among)})
        return [Gap(*row) for row in cursor]
