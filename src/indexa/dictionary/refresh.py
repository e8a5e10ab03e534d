"""What follows a change of models, names and words: the rows of the dictionary, at once or, for very many, in the background."""

from __future__ import annotations

from django.db import connection
from django.urls import reverse

from indexa.changes.models import ChangeSet
from indexa.dictionary import rows as dictionary_rows
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.store.models import StoredModel
from indexa.store.signals import StoreChange

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
