"""One value for all columns that a search finds, as one change set."""

from __future__ import annotations

from typing import Any

from django.db import connection, transaction
from django.http import QueryDict
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.changes.recording import record
from indexa.describing import saying
from indexa.describing.models import Aspect
from indexa.dictionary.forms import read_query, write_query
from indexa.dictionary.search import Query, aspect_of, conditions_of
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.modeling import editing
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing

AT_ONCE = 5_000
"""Columns up to which it is done while the person waits."""


def fields_of(area: Area) -> list[tuple[str, str]]:
    """Return what can be set for all columns: the definition, and all that can be said of columns."""
    aspects = Aspect.objects.filter(area=area, applies__contains=["column"])
    return [("definition", "Definition"), *((f"a{one.pk}", one.name) for one in aspects)]


def choices_of(area: Area, field: str) -> list[tuple[str, str]]:
    """Return what a field can be set to; [] where it is entered. Raises EditError for a field that is none."""
    aspect = _aspect(area, field)
    if aspect is None:
        return []
    return saying.choices_of(aspect) or ([("yes", "yes"), ("no", "no")] if aspect.type == "yes or no" else [])


def _aspect(area: Area, field: str) -> Aspect | None:
    if field == "definition":
        return None
    aspect = Aspect.objects.filter(area=area, pk=aspect_of(field), applies__contains=["column"]).first()
    if aspect is None:
        raise EditError(f"“{field[:20]}” is no field that can be set for all.")
    return aspect


@transaction.atomic
def set_for_all(*, area: Area, person: Person | None, query: Query, field: str, value: str, only_missing: bool) -> int:
    """Give all columns that a query finds a value; what they implement gets it, where they do. Returns how many were changed.

    `only_missing` leaves those that have one. Raises EditError for a value that can't be kept, or while a model is being read.
    """
    aspect, value = _aspect(area, field), value.strip()
    where, parameters = conditions_of(query)
    if only_missing:
        where += " and not described" if aspect is None else " and said && %s::text[]"
        parameters += [] if aspect is None else [[f"{aspect.pk}:"]]
    found = f"(select column_id from dictionary_row where {where})"
    with connection.cursor() as cursor:
        cursor.execute(f"select distinct model_id from dictionary_row where {where}", parameters)
        models = [row[0] for row in cursor.fetchall()]
    if not all(try_for_editing(model_id) for model_id in sorted(models)):
        raise EditError("A model is being read at this moment. Nothing was changed: try again in half a minute.")
    label = aspect.name if aspect is not None else "Definition"
    kept = saying.kept(aspect, value) if aspect is not None else value
    shown = saying.in_words([kept]).get(kept, kept)
    why = f"{label} of a whole selection: {shown[:80] or 'nothing'}"
    with record(area=area, person=person, why=why, model_id=models[0] if len(models) == 1 else None) as changes:
        targets = f"select distinct coalesce(c.attribute_id, c.id) from model_column c where c.id in {found}"
        if aspect is not None:
            return saying.say_into(
                changes, area=area, aspect=aspect, level="column", given=value, ids_sql=targets, parameters=parameters
            )
        if len(value) > editing.LIMITS["definition"]:
            raise EditError(f"{len(value):,} characters are too many; {editing.LIMITS['definition']:,} are kept.")
        with connection.cursor() as cursor:
            cursor.execute(f"select id, definition from model_column where id in ({targets})", parameters)
            values = [("column", id_, now, value) for id_, now in cursor.fetchall()]
        return editing.write_into(changes, area=area, field="definition", values=values)


class SetArguments(Arguments):
    """The selection as its address, and what it gets."""

    address: str
    field: str
    value: str
    only_missing: bool


def start(*, area: Area, person: Person, query: Query, field: str, value: str, only_missing: bool) -> Job:
    """Have a large selection get its value in the background."""
    arguments: dict[str, Any] = {
        "address": write_query(query),
        "field": field,
        "value": value,
        "only_missing": only_missing,
    }
    return jobs.start(
        area=area, kind="set for all", title="Setting a value for a whole selection", person=person, **arguments
    )


@background("set for all", SetArguments)
def set_in_background(job: Job, progress: Progress) -> str:
    """Give a large selection its value."""
    given = job.arguments
    progress.report("Setting the value")
    query = read_query(job.area, QueryDict(given["address"]))
    try:
        set_for_all(
            area=job.area, person=job.started_by, query=query, field=given["field"], value=given["value"], only_missing=given["only_missing"]
        )  # fmt: skip
    except EditError as error:
        raise JobFailedError(str(error)) from error
    return f"{reverse('dictionary:page', args=[job.area.slug])}?{given['address']}"
