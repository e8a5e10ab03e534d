"""What of an area waits for a person."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import connection
from django.db.models import Count, Exists, OuterRef, Q

from indexa.areas.models import Area
from indexa.editions.models import Edition
from indexa.jobs.models import Job
from indexa.reconcile.models import Reconciliation
from indexa.sources.models import Intake, Schedule
from indexa.store.models import StoredModel


@dataclass(frozen=True, slots=True)
class Gap:
    """A table with undescribed columns; `degree` is the number of its relationships."""

    table_id: int
    name: str
    business_name: str
    columns: int
    described: int
    degree: int


def gaps(models: list[StoredModel], limit: int = 15) -> list[Gap]:
    """Return the tables whose gaps matter most: the most connected first, then those with most to do."""
    sql = """
    with gaps as (
      select table_id, columns, described from dictionary_coverage where model_id = any(%(ids)s) and described < columns
    ), degrees as (
      select id, count(*) as degree from (
        select r.table_id as id from model_relationship r join gaps on gaps.table_id = r.table_id
        union all
        select r.ref_table_id from model_relationship r join gaps on gaps.table_id = r.ref_table_id
      ) ends group by 1
    ), first as (
      select g.*, coalesce(d.degree, 0) as degree from gaps g left join degrees d on d.id = g.table_id
      order by 4 desc, g.columns - g.described desc limit 1000
    )
    select f.table_id, t.schema || '.' || t.name, coalesce(nullif(t.business_name, ''), e.business_name, ''),
           f.columns, f.described, f.degree
    from first f join model_table t on t.id = f.table_id left join model_table e on e.id = t.entity_id
    order by 6 desc, f.columns - f.described desc, 2 limit %(limit)s"""
    with connection.cursor() as cursor:
        cursor.execute(sql, {"ids": [model.pk for model in models], "limit": limit})
        return [Gap(*row) for row in cursor]


def waiting(area: Area) -> list[Job]:
    """Return jobs that failed lately and were not run again since."""
    later = Job.objects.filter(area=area, kind=OuterRef("kind"), title=OuterRef("title"), pk__gt=OuterRef("pk"))
    failed = Job.objects.filter(area=area, state=Job.State.FAILED)
    return list(failed.exclude(Exists(later)).order_by("-pk")[:5])


def read_again(area: Area) -> list[Reconciliation]:
    """Return later readings whose differences wait for a decision, with their counts."""
    found = Reconciliation.objects.filter(source__area=area, state=Reconciliation.State.WAITING).select_related(
        "source"
    )
    conflicts = Q(differences__decision="later") & ~Q(differences__conflict="")
    return list(found.annotate(count=Count("differences"), conflicts=Count("differences", filter=conflicts)))


def late(area: Area) -> list[Schedule]:
    """Return schedules whose last reading came late or was skipped."""
    return list(Schedule.objects.filter(source__area=area).exclude(message="").select_related("source"))


def readings(area: Area) -> list[Intake]:
    """Return the latest readings."""
    return list(Intake.objects.filter(source__area=area).select_related("source", "person").defer("snapshot")[:5])


def editions(area: Area) -> list[Edition]:
    """Return drafts that wait for an approver, then the latest editions."""
    drafts = list(Edition.objects.filter(area=area, state=Edition.State.DRAFT))
    published = list(Edition.objects.filter(area=area, state=Edition.State.PUBLISHED).order_by("-number")[:3])
    return [*drafts, *published]
