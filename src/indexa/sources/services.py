"""What can be done with a source: try it, look what it holds, save it, have it read."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple
from urllib.parse import urlsplit

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.files import check_below
from indexa.adapters.live import OTHER, Reading, open_source
from indexa.areas.models import Area, Person
from indexa.core.intake.choice import Choice, SchemaCount, patterns
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.modeling.models import StoredModel
from indexa.sources.models import Source, SourceFile
from indexa.sources.secrets import SealBrokenError, seal, unseal
from indexa.sources.uploads import ScriptReading, open_upload

LOOKED_INTO_AT_ONCE = 30 * 1024 * 1024
"""Uploads up to this many bytes are counted before they are read; larger ones while they are read."""
_MOST_NAMES = 50_000


def check_host(host: str) -> None:
    """Raise SourceError unless an administrator of the server allows connections to this host."""
    if host.lower() not in {allowed.lower() for allowed in settings.SOURCE_HOSTS}:
        raise SourceError(
            "host-not-allowed",
            f"Indexa may not connect to “{host}”.",
            "Whoever runs this server can add the host to INDEXA_SOURCE_HOSTS.",
        )


@contextmanager
def reading(source: Source, password: str | None = None) -> Iterator[Reading]:
    """Open a source of any kind, read-only. Raises SourceError in plain words, also from within."""
    if source.kind in (Source.Kind.SCRIPT, Source.Kind.KIT):
        with open_upload(source) as upload:
            yield upload
        return
    with open_source(source.platform, _address(source), _password(source, password)) as opened:
        yield opened


def _address(source: Source) -> Address:
    if source.kind == Source.Kind.FILE:
        return Address("", 0, str(check_below(source.database, settings.SOURCE_FOLDERS)))
    if source.platform == OTHER:
        parts = urlsplit(source.database)
        if parts.hostname:
            check_host(parts.hostname)
        else:  # an embedded database: the path is what the URL names
            check_below(parts.path.lstrip("/").join(("/", "")), settings.SOURCE_FOLDERS)
        return Address(database=source.database)
    check_host(source.host)
    return Address(source.host, source.port, source.database, source.user, source.tls)


def _password(source: Source, password: str | None) -> str:
    if password is not None:
        return password
    try:
        return unseal(source.sealed_password)
    except SealBrokenError as error:
        raise SourceError("seal", str(error), "Save the source with its password once more.") from None


class Look(NamedTuple):
    """What a source holds, and what the login's rights will keep from being read."""

    schemas: list[SchemaCount]
    limits: list[str]


def look(source: Source, password: str | None = None) -> Look | None:
    """Look what a source holds, and remember the names if it is saved. None: too large to look into before it is read."""
    if (
        source.kind in (Source.Kind.SCRIPT, Source.Kind.KIT)
        and sum(file.size for file in source.files.all()) > LOOKED_INTO_AT_ONCE
    ):
        return None
    with reading(source, password) as opened:
        found, limits = opened.count(), opened.limits()
        if source.pk:
            everything = Choice(tuple(schema.schema for schema in found))
            source.inventory = opened.table_names(everything)[:_MOST_NAMES]
            source.save(update_fields=["inventory"])
    return Look(found, limits)


def chosen_names(source: Source, choice: Choice) -> list[tuple[str, str, bool]]:
    """Return schema, name and whether it is a view of all that a choice takes, by the last look."""
    return [
        (schema, name, view)
        for schema, name, view in source.inventory or []
        if ("views" if view else "tables") in choice.kinds
        and choice.takes_schema(schema)
        and choice.takes_name(schema, name)
    ]


@transaction.atomic
def save(source: Source, *, password: str = "") -> Source:
    """Save a source that was tried. An empty password keeps the one that is stored."""
    if password:
        source.sealed_password = seal(password)
    source.save()
    return source


@transaction.atomic
def save_upload(source: Source, files: list[UploadedFile[bytes]]) -> Source:
    """Save a source with its files; none keeps those that are there. Raises SourceError, and then nothing is saved."""
    source.inventory = None
    source.save()
    if files:
        old = list(source.files.all())
        source.files.all().delete()
        for position, file in enumerate(files):
            SourceFile.objects.create(
                source=source, position=position, name=(file.name or "file")[-255:], size=file.size or 0, content=file
            )
        transaction.on_commit(lambda: remove_files(old))
    if source.kind == Source.Kind.SCRIPT and not source.platform:
        with open_upload(source) as upload:
            assert isinstance(upload, ScriptReading)
            proposed = upload.proposed()
        source.platform = proposed[0][0] if proposed else "postgresql"
        source.save(update_fields=["platform"])
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
