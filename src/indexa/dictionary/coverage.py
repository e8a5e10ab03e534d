"""How far models are named, described, owned and classified: now, and day by day."""

from __future__ import annotations

from datetime import date, datetime, time

from django.db import connection
from django.utils import timezone

from indexa.areas.models import Area
from indexa.dictionary.models import CoverageDay
from indexa.jobs.registry import every_minute
from indexa.ui.charts import Chart, Value, line_chart

MEASURES = {"described": "described", "named": "named", "owned": "owned", "classified": "classified"}
_DAYS = 180


@every_minute
def keep_today() -> int:
    """Keep how far each model is today, the last state of the day; returns how many models changed since they were kept."""
    with connection.cursor() as cursor:
        cursor.execute(
            "insert into coverage_day as d (model_id, day, columns, named, described, owned, classified) "
            "select model_id, %s, sum(columns), sum(named), sum(described), sum(owned), sum(classified) from dictionary_coverage c "
            "where exists (select 1 from model m where m.id = c.model_id) group by 1 "
            "on conflict (model_id, day) do update set columns = excluded.columns, named = excluded.named, described = excluded.described, "
            "owned = excluded.owned, classified = excluded.classified where (d.columns, d.named, d.described, d.owned, d.classified) "
            "is distinct from (excluded.columns, excluded.named, excluded.described, excluded.owned, excluded.classified)",
            [timezone.localdate()],
        )
        return int(cursor.rowcount)


def history(area: Area) -> Chart | None:
    """Return the shares of all physical models of an area by day, in percent; None before the second day."""
    days: dict[date, dict[str, int]] = {}
    found = CoverageDay.objects.filter(model__area=area, model__layer="physical").order_by("day")
    for row in found.values("day", "columns", *MEASURES):
        sums = days.setdefault(row["day"], dict.fromkeys(("columns", *MEASURES), 0))
        for name in sums:
            sums[name] += row[name]
    last = list(days.items())[-_DAYS:]
    series = {
        label: [_value(day, sums[name], sums["columns"], label) for day, sums in last]
        for name, label in MEASURES.items()
    }
    return line_chart(series, greatest=100, unit=" %", width=460, height=110)


def _value(day: date, count: int, columns: int, label: str) -> Value:
    share = 100 * count / columns if columns else 0
    at = timezone.make_aware(datetime.combine(day, time.min))
    return Value(at, share, f"{share:.0f} % {label}")
