"""What follows a change of models, names and words: the rows of the dictionary, at once or, for very many, in the background."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import connection
from django.db.models import Sum
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.describing.change_targets import ASSIGNMENT
from indexa.describing.models import Assignment
from indexa.dictionary import rows as dictionary_rows
from indexa.dictionary.models import DictionaryCoverage
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.store.signals import StoreChange

_AT_ONCE = 20_000
_MANY = 20_000
"""From this many changed objects on, the search index of the dictionary follows in the background, a model in one go."""


def follow_store(sender: object, *, change: StoreChange, **_: object) -> None:
    """Make the rows of what the store has written, and take out those of what goes."""
    with connection.cursor() as cursor:
        for column, gone in (
            ("model_id", change.gone_models),
            ("table_id", change.gone_tables),
            ("column_id", change.gone_columns),
        ):
            if gone:
                cursor.execute(f"delete from dictionary_row where {column} = any(%s)", [list(gone)])
    for model_id in change.models:
        dictionary_rows.refresh_model(model_id)
    if change.tables:
        dictionary_rows.refresh_tables(change.tables)
    if change.columns:
        dictionary_rows.refresh_columns(change.columns)


def follow_changes(sender: object, *, change_set: ChangeSet, ids: dict[str, list[int]], **_: object) -> None:
    """Bring the dictionary's rows up to date for the tables and columns that a change set changed."""
    columns, tables = ids.get("column", []), ids.get("table", [])
    if said := ids.get(ASSIGNMENT):
        _follow_sayings(change_set, said)
    if len(columns) + len(tables) >= _MANY and change_set.model is not None:
        title = f"Bringing the dictionary up to date with {change_set.model.name}"
        jobs.start(
            area=change_set.area,
            kind="dictionary rows",
            title=title,
            person=change_set.person,
            model=change_set.model_id,
        )
        return
    if columns:
        dictionary_rows.refresh_columns(columns)
    if tables:
        dictionary_rows.refresh_tables(tables)


def _follow_sayings(change_set: ChangeSet, ids: Sequence[int]) -> None:
    """Bring what is said up to date where it reaches: columns with those that realise them, or whole models, large ones later."""
    reached: dict[str, set[int]] = {"column": set(), "table": set(), "model": set()}
    for start in range(0, len(ids), _AT_ONCE):
        found = Assignment.objects.filter(pk__in=ids[start : start + _AT_ONCE]).values_list("level", "object_id")
        for level, object_id in found:
            reached[level if level in ("column", "table") else "model"].add(object_id if level != "area" else 0)
    if 0 in reached["model"]:
        reached["model"] = set(StoredModel.objects.filter(area=change_set.area).values_list("pk", flat=True))
    if reached["model"]:
        _refresh_models(change_set, reached["model"])
    if len(reached["column"]) + len(reached["table"]) >= _MANY:
        models = set(StoredTable.objects.filter(pk__in=reached["table"]).values_list("model_id", flat=True))
        models |= set(StoredColumn.objects.filter(pk__in=reached["column"]).values_list("table__model_id", flat=True))
        _refresh_models(change_set, models)
        return
    if reached["table"]:
        below = StoredTable.objects.filter(entity__in=reached["table"]).values_list("pk", flat=True)
        dictionary_rows.refresh_said("table_id", sorted(reached["table"] | set(below)))
    if reached["column"]:
        realising = StoredColumn.objects.filter(attribute__in=reached["column"]).values_list("pk", flat=True)
        dictionary_rows.refresh_said("column_id", sorted(reached["column"] | set(realising)))


def _refresh_models(change_set: ChangeSet, models: set[int]) -> None:
    models |= set(StoredModel.objects.filter(logical__in=models).values_list("pk", flat=True))
    refresh_sayings(change_set.area, change_set.person, sorted(models))


def refresh_sayings(area: Area, person: Person | None, models: Sequence[int]) -> None:
    """Bring what is said up to date in the rows of some models, at once where they are small, else in a job."""
    rows = DictionaryCoverage.objects.filter(model_id__in=models).aggregate(sum=Sum("columns"))["sum"] or 0
    if rows <= _MANY:
        dictionary_rows.refresh_said("model_id", models)
        return
    title = "Bringing the dictionary up to date with what is said"
    jobs.start(area=area, kind="what is said", title=title, person=person, models=list(models))


def follow_aspects(sender: object, *, area: Area, person: Person | None, **_: object) -> None:
    """Bring the whole area up to date when an aspect came, went or applies otherwise, as a receiver of `aspects_changed`."""
    refresh_sayings(area, person, list(StoredModel.objects.filter(area=area).values_list("pk", flat=True)))


class SayingArguments(Arguments):
    """Whose rows follow."""

    models: list[int]


@background("what is said", SayingArguments)
def bring_sayings_up_to_date(job: Job, progress: Progress) -> str:
    """Bring what is said up to date in the rows of the job's models."""
    models = job.arguments["models"]
    for done, pk in enumerate(models):
        progress.report("Bringing filters up to date", done, len(models))
        dictionary_rows.refresh_said("model_id", [pk])
    return reverse("dictionary:page", args=[job.area.slug])


class RowsArguments(Arguments):
    """Whose rows follow."""

    model: int


@background("dictionary rows", RowsArguments)
def bring_up_to_date(job: Job, progress: Progress) -> str:
    """Make the dictionary's rows of the job's model anew, and those of all models that share its logical model."""
    model = StoredModel.objects.filter(pk=job.arguments["model"], area=job.area).first()
    if model is not None:
        logical = model.logical_id or model.pk
        family = sorted(
            {model.pk, logical, *StoredModel.objects.filter(logical_id=logical).values_list("pk", flat=True)}
        )
        for done, pk in enumerate(family):
            progress.report("Bringing search and filters up to date", done, len(family))
            dictionary_rows.refresh_model(pk)
    return reverse("dictionary:page", args=[job.area.slug])
