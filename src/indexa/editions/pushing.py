"""Pushing published editions to shared catalogs and places for files: tried before it is saved, told before it is done, logged."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urlsplit

from django.conf import settings
from django.db import IntegrityError, transaction
from django.urls import reverse
from django.utils.text import slugify

from indexa.adapters import pushing
from indexa.adapters.errors import SourceError
from indexa.adapters.pushing import Place, Pushed, PushError, Sent
from indexa.areas.models import Area, Person
from indexa.core.edition.book import book_of
from indexa.core.edition.open import dcat
from indexa.editions.building import OUT, imprint_of, thawed
from indexa.editions.files import content_of
from indexa.editions.models import Destination, Edition, Push
from indexa.editions.services import EditionError
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.sources.opening import check_host
from indexa.sources.secrets import SealBrokenError, seal, unseal

_PORTS = {"http": 80, "https": 443}


def save(
    *, area: Area, destination: Destination | None, kind: str, label: str, address: str, name: str, secret: str, at_publication: bool
) -> tuple[Destination, str]:  # fmt: skip
    """Save a destination once it was reached; return it and what answered. An empty secret leaves the one that is kept.

    Raises EditionError for what can't be reached or is not allowed.
    """
    label, address, name = " ".join(label.split())[:120], address.strip()[:400], slugify(name)[:80]
    if not label or not address or not name:
        raise EditionError("A destination needs a label, an address, and the name that the area has there.")
    made = destination or Destination(area=area, kind=kind)
    if destination is not None and not secret and destination.address == address:
        secret = _secret_of(destination)
    made.label, made.address, made.name, made.at_publication = label, address, name, at_publication
    made.sealed_secret = seal(secret, address)
    try:
        answer = pushing.pusher_of(made.kind).test(_place(made))
    except PushError as error:
        raise EditionError(str(error)) from error
    try:
        with transaction.atomic():
            made.save()
    except IntegrityError as error:
        raise EditionError(f"There is a destination {label} already.") from error
    return made, answer


def _secret_of(destination: Destination) -> str:
    try:
        return unseal(destination.sealed_secret, destination.address)
    except SealBrokenError as error:
        raise EditionError("The secret can't be opened any more. Enter it again.") from error


def _place(destination: Destination) -> Place:
    """Return where a destination is, if connections to its host are allowed. Raises PushError."""
    parts = urlsplit(destination.address)
    if parts.scheme in _PORTS:
        try:
            check_host(parts.hostname or "", parts.port or _PORTS[parts.scheme])
        except (SourceError, ValueError) as error:
            raise PushError(f"{parts.netloc}: {error}") from error
    return Place(destination.address, destination.name, _secret_of(destination), tuple(settings.PUSH_FOLDERS))


def plan(destination: Destination, edition: Edition) -> Pushed:
    """Return what a push would change at its destination. Raises EditionError."""
    try:
        return pushing.pusher_of(destination.kind).plan(_place(destination), _sent(edition))
    except PushError as error:
        raise EditionError(str(error)) from error


def _sent(edition: Edition) -> Sent:
    base = f"{settings.ADDRESS}{reverse('editions:latest', args=[edition.area.slug])}"
    return Sent(dcat.write(book_of(thawed(edition), imprint_of(edition)), base, "json-ld"), _files(edition))


def _files(edition: Edition) -> Iterator[tuple[str, bytes]]:
    for file in edition.files.select_related("stored").order_by("path").iterator(chunk_size=50):
        yield file.path, content_of(file)


class PushArguments(Arguments):
    """Which push is done."""

    push: int


@transaction.atomic
def start(*, destination: Destination, edition: Edition, person: Person | None) -> Job:
    """Have an edition pushed. Raises EditionError for one that is not published."""
    if edition.state not in OUT or edition.state == Edition.State.WITHDRAWN:
        raise EditionError("Only a published edition is pushed.")
    push = Push.objects.create(destination=destination, edition=edition, by=person)
    title = f"Pushing edition {edition.number} to {destination.label}"[:200]
    return jobs.start(area=edition.area, kind="push", title=title, person=person, push=push.pk)


@background("push", PushArguments, atomic=False)
def push_in_background(job: Job, progress: Progress) -> str:
    """Push an edition to a destination; what came of it is kept either way."""
    push = Push.objects.select_related("destination", "edition__area").filter(pk=job.arguments["push"]).first()
    if push is None:
        raise JobFailedError("The destination was removed before anything was sent.")
    progress.report(f"Sending to {push.destination.label}")
    try:
        outcome = pushing.pusher_of(push.destination.kind).push(_place(push.destination), _sent(push.edition))
    except (PushError, EditionError) as error:
        Push.objects.filter(pk=push.pk).update(state=Push.State.FAILED, outcome=str(error))
        raise JobFailedError(str(error)) from error
    Push.objects.filter(pk=push.pk).update(
        state=Push.State.DONE, outcome=outcome.words, details=[list(one) for one in outcome.details]
    )
    return reverse("editions:page", args=[job.area.slug, push.edition_id])


def push_when_published(sender: object, *, edition: Edition, person: Person | None, **_: object) -> None:
    """Push an edition to every destination that wants each one at once, as a receiver of `edition_published`."""
    for destination in Destination.objects.filter(area=edition.area, at_publication=True):
        start(destination=destination, edition=edition, person=person)
