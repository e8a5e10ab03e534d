"""The job that makes an edition's pages: a draft that is exactly what will be published."""

from __future__ import annotations

import gzip
from collections.abc import Iterator
from pathlib import Path

import msgspec
from django.contrib.staticfiles import finders
from django.urls import reverse
from django.utils import timezone

from indexa.core.render.site import Contents, Imprint, build_site
from indexa.diagrams.pictures import shared_pictures
from indexa.editions.models import Edition
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.store.bulk import copy_rows
from indexa.store.loading import load_model
from indexa.store.models import StoredModel

_FONTS = (
    "atkinson-hyperlegible-next-latin-wght-normal.woff2",
    "atkinson-hyperlegible-mono-latin-wght-normal.woff2",
    "source-serif-4-latin-wght-normal.woff2",
    "LICENSE-atkinson-hyperlegible.txt",
    "LICENSE-source-serif-4.txt",
)


class EditionArguments(Arguments):
    """Which edition is made."""

    edition: int


@background("edition", EditionArguments)
def build_edition(job: Job, progress: Progress) -> str:
    """Make the pages of the job's edition. Returns the address of the draft."""
    edition = Edition.objects.select_for_update().filter(pk=job.arguments["edition"]).first()
    if edition is None:
        raise JobFailedError("The draft was discarded before it was made.")
    if edition.state == Edition.State.PUBLISHED:
        raise JobFailedError("The edition is published; its pages never change.")
    wanted = edition.content["models"]
    stored = list(StoredModel.objects.filter(pk__in=wanted, area=edition.area).order_by("name"))
    if not stored:
        raise JobFailedError("None of the chosen models exists any longer.", "Choose others.")
    models = []
    for number, one in enumerate(stored):
        progress.report(f"Loading {one.name}", number, len(stored))
        models.append(load_model(one, with_words=True))
    contents = msgspec.convert(edition.content["contents"], Contents)
    author = edition.made_by.display_name if edition.made_by else "Indexa"
    imprint = Imprint(edition.title, edition.area.name, edition.note, author, timezone.now())
    edition.files.all().delete()
    positions = {one.pk: position for position, one in enumerate(stored)}
    pictures = shared_pictures(positions) if contents.diagrams else []
    files = build_site(models, contents, imprint, _fonts(), pictures)
    total = sum(len(model.tables) for model in models)
    copy_rows(
        "edition_file",
        ("edition_id", "path", "content"),
        _rows(edition, files),
        progress,
        "Making pages",
        total,
    )
    edition.summary = {
        "models": [model.name for model in models],
        "tables": total,
        "columns": sum(len(table.columns) for model in models for table in model.tables),
        "described": sum(bool(c.definition) for m in models for t in m.tables for c in t.columns),
    }
    edition.state = Edition.State.DRAFT
    edition.save(update_fields=["summary", "state"])
    return reverse("editions:page", args=[edition.area.slug, edition.pk])


def _rows(edition: Edition, files: Iterator[tuple[str, bytes]]) -> Iterator[tuple[int, str, bytes]]:
    for path, content in files:
        yield edition.pk, path, gzip.compress(content, 6, mtime=0)


def _fonts() -> dict[str, bytes]:
    found = {}
    for name in _FONTS:
        path = finders.find(f"ui/fonts/{name}")
        assert isinstance(path, str), f"{name} is not shipped"
        found[name] = Path(path).read_bytes()
    return found
