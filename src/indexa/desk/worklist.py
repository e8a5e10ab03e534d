"""What of an area waits for a person."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import connection
from django.db.models import Count, Exists, OuterRef, Q

from indexa.areas.models import Area
from indexa.editions.models import Edition
from indexa.jobs.models import Job
from indexa.modeling.models import StoredModel
from indexa.sources.models import Intake, Rereading, Schedule


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
    with undescribed as (
      select table_id, count(*) as columns, count(*) filter (where described) as described
      from dictionary_row where model_id = any(%(ids)s) group by 1 having not bool_and(described)
    ), ends as (
      select table_id as id from model_relationship union all
      select ref_table_id from model_relationship where ref_table_id is not null
    ), degrees as (select id, count(*) as degree from ends group by 1)
    select u.table_id, t.schema || '.' || t.name, coalesce(nullif(t.business_name, ''), e.business_name, ''),
           u.columns, u.described, coalesce(d.degree, 0)
    from undescribed u join model_table t on t.id = u.table_id left join model_table e on e.id = t.entity_id
    left join degrees d on d.id = u.table_id
    order by 6 desc, u.columns - u.described desc, 2 limit %(limit)s"""
    with connection.cursor() as cursor:
        cursor.execute(sql, {"ids": [model.pk for model in models], "limit": limit})
        return [Gap(*row) for row in cursor]


def waiting(area: Area) -> list[Job]:
    """Return jobs that failed lately and were not run again since."""
    later = Job.objects.filter(area=area, kind=OuterRef("kind"), title=OuterRef("title"), pk__gt=OuterRef("pk"))
    failed = Job.objects.filter(area=area, state=Job.State.FAILED)
    return list(failed.exclude(Exists(later)).order_by("-pk")[:5])


def read_again(area: Area) -> list[Rereading]:
    """Return later readings whose differences wait for a decision, with their counts."""
    found = Rereading.objects.filter(source__area=area, state=Rereading.State.WAITING).select_related("source")
    conflicts = Q(differences__decision="later") & ~Q(differences__conflict="")
    return list(found.annotate(count=Count("differences"), conflicts=Count("differences", filter=conflicts)))


def late(area: Area) -> list[Schedule]:
    """Return schedules whose last reading came late or was skipped."""
    return list(Schedule.objects.filter(source__area=area).exclude(said="").select_related("source"))


def readings(area: Area) -> list[Intake]:
    """Return the latest readings."""
    return list(Intake.objects.filter(source__area=area).select_related("source", "person").defer("snapshot")[:5])


def editions(area: Area) -> list[Edition]:
    """Return drafts that wait for an approver, then the latest editions."""
    drafts = list(Edition.objects.filter(area=area, state=Edition.State.DRAFT))
    published = list(Edition.objects.filter(area=area, state=Edition.State.PUBLISHED).order_by("-number")[:3])
    return [*drafts, *published]
