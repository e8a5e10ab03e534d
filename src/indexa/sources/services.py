"""What can be done with a source: try it, look what it holds, save it, have it read."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.conf import settings
from django.db import transaction

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.postgresql import PostgreSQLReading, open_reading
from indexa.areas.models import Area, Person
from indexa.core import platforms
from indexa.core.intake.choice import SchemaCount
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.modeling.models import StoredModel
from indexa.sources.models import Source
from indexa.sources.secrets import SealBrokenError, seal, unseal


def check_host(host: str) -> None:
    """Raise SourceError unless an administrator of the server allows connections to this host."""
    if host.lower() not in {allowed.lower() for allowed in settings.SOURCE_HOSTS}:
        raise SourceError(
            "host-not-allowed",
            f"Indexa may not connect to “{host}”.",
            "Whoever runs this server can add the host to INDEXA_SOURCE_HOSTS.",
        )


@contextmanager
def reading(source: Source, password: str | None = None) -> Iterator[PostgreSQLReading]:
    """Open a read-only session with a source. Raises SourceError in plain words."""
    check_host(source.host)
    if password is None:
        try:
            password = unseal(source.sealed_password)
        except SealBrokenError as error:
            raise SourceError("seal", str(error), "Save the source with its password once more.") from None
    address = Address(source.host, source.port, source.database, source.user, source.tls)
    with open_reading(address, password) as session:
        yield session


def count_schemas(source: Source, password: str | None = None) -> list[SchemaCount]:
    """Look how much of each kind every schema holds."""
    with reading(source, password) as session:
        return platforms.get(source.platform).count(session)


@transaction.atomic
def save(source: Source, *, password: str) -> Source:
    """Save a source that was tried. An empty password keeps the one that is stored."""
    if password:
        source.sealed_password = seal(password)
    source.save()
    return source


@transaction.atomic
def start_intake(
    *,
    source: Source,
    schemas: list[str],
    kinds: list[str],
    logical: StoredModel | None,
    person: Person | None,
) -> Job:
    """Remember the choice with the source and put its reading into the queue."""
    source.schemas, source.kinds = schemas, kinds
    source.save(update_fields=["schemas", "kinds"])
    return jobs.start(
        area=source.area,
        kind="intake",
        title=f"Reading {source.name}",
        person=person,
        source=source.pk,
        logical=logical.pk if logical else None,
    )


def name_for(area: Area, wanted: str) -> str:
    """Return wanted, or wanted with a number behind it where a physical model has that name."""
    taken = set(StoredModel.objects.filter(area=area, layer="physical").values_list("name", flat=True))
    name, number = wanted, 1
    while name in taken:
        number += 1
        name = f"{wanted} {number}"
    return name
