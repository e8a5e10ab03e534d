"""What can be done with a source: save it, choose from it, have it read, delete it."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import Count
from django.db.models.functions import Lower

from indexa.adapters.script_files import peek_scripts
from indexa.areas.models import Area, Person
from indexa.core.intake.choice import Choice, patterns
from indexa.core.scripts.proposal import propose_for
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.sources.models import Source, SourceFile
from indexa.sources.scanning import start_scan
from indexa.sources.secrets import seal
from indexa.store.models import Layer, StoredModel, StoredTable

_SAME_SYSTEM = 0.6
"""By judgement: with that share of equal names a source is another reading of a system that has a logical model."""


def chosen_names(source: Source, choice: Choice) -> list[tuple[str, str, bool]]:
    """Return schema, name and whether it is a view of all that a choice takes, by the last look."""
    return [
        (schema, name, view)
        for schema, name, view in source.inventory or []
        if ("views" if view else "tables") in choice.kinds
        and choice.takes_schema(schema)
        and choice.takes_name(schema, name)
    ]


class LikelyLogical(NamedTuple):
    """A logical model that has entities of the names of a source's tables: how many of how many."""

    model: StoredModel
    same: int
    tables: int


def likely_logical(source: Source) -> LikelyLogical | None:
    """Return the logical model of the area that most tables of the last look have an entity in, if most have."""
    names = {name.lower() for _, name, _ in source.inventory or []}
    entities = StoredTable.objects.filter(
        model__area=source.area, model__layer=Layer.LOGICAL, removed_at__isnull=True
    ).annotate(low=Lower("name"))
    counted = entities.filter(low__in=names).values("model").annotate(same=Count("low", distinct=True))
    best = counted.order_by("-same", "model").first()
    if best is None or best["same"] < _SAME_SYSTEM * len(names):
        return None
    return LikelyLogical(StoredModel.objects.get(pk=best["model"]), best["same"], len(names))


@transaction.atomic
def save(source: Source, *, password: str = "") -> Source:
    """Save a source that was tried. An empty password keeps the one that is stored, for the place it was entered for."""
    if password:
        source.sealed_password = seal(password, source.target)
    source.save()
    return source


@transaction.atomic
def save_upload(source: Source, files: list[UploadedFile[bytes]], person: Person | None = None) -> Source:
    """Save a source with its files, and have them scanned; no files keep those that are there.

    Only the beginning of the files is looked at here. Raises SourceError, and then nothing is saved.
    """
    source.inventory = source.held = None
    source.save()
    if files:
        old = list(source.files.all())
        source.files.all().delete()
        for position, file in enumerate(files):
            SourceFile.objects.create(
                source=source, position=position, name=(file.name or "file")[-255:], size=file.size or 0, content=file
            )
        transaction.on_commit(lambda: remove_files(old))
    if source.kind == Source.Kind.SCRIPT:
        paths = [(file.name, Path(file.content.path)) for file in source.files.all()]
        with peek_scripts(paths, source.encoding) as beginnings:
            proposed = propose_for(beginnings) if not source.platform else []
        source.platform = source.platform or (proposed[0][0] if proposed else "postgresql")
        source.save(update_fields=["platform"])
    start_scan(source, person)
    return source


def remove_files(files: list[SourceFile]) -> None:
    """Remove the contents of files whose rows are gone."""
    for file in files:
        file.content.storage.delete(str(file.content.name))


def remove(source: Source) -> None:
    """Remove a source with its files and receipts; its model and their words stay."""
    files = list(source.files.all())
    source.delete()
    remove_files(files)


@transaction.atomic
def start_intake(
    *,
    source: Source,
    schemas: list[str],
    kinds: list[str],
    logical: StoredModel | None,
    person: Person | None,
    include: str = "",
    exclude: str = "",
) -> Job:
    """Remember the choice with the source and put its reading into the queue."""
    source.schemas, source.kinds, source.include, source.exclude = schemas, kinds, include, exclude
    source.save(update_fields=["schemas", "kinds", "include", "exclude"])
    return jobs.start(
        area=source.area,
        kind="intake",
        title=f"Reading {source.name}",
        person=person,
        source=source.pk,
        logical=logical.pk if logical else None,
    )


def choice_of(source: Source, kinds: tuple[str, ...]) -> Choice:
    """Return the choice that is kept with a source; no kinds mean all."""
    return Choice(
        tuple(source.schemas), frozenset(source.kinds or kinds), patterns(source.include), patterns(source.exclude)
    )


def name_for(area: Area, wanted: str) -> str:
    """Return wanted, or wanted with a number behind it where a physical model has that name."""
    taken = set(StoredModel.objects.filter(area=area, layer="physical").values_list("name", flat=True))
    name, number = wanted, 1
    while name in taken:
        number += 1
        name = f"{wanted} {number}"
    return name
