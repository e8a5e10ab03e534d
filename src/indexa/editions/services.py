"""Preparing, publishing and sharing editions."""

from __future__ import annotations

import secrets
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.editions.models import Edition, ReadingLink
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.store.models import StoredModel
from indexa.store.signals import models_published


class EditionError(Exception):
    """What was asked does not go with the state the edition is in."""


@transaction.atomic
def prepare(
    *, area: Area, person: Person, title: str, note: str, models: list[int], contents: dict[str, Any]
) -> tuple[Edition, Job]:
    """Have a draft made. It is looked at, then published or thrown away."""
    edition = Edition.objects.create(
        area=area, title=title, note=note, made_by=person, content={"models": models, "contents": contents}
    )
    job = jobs.start(area=area, kind="edition", title=f"Making “{title}”", person=person, edition=edition.pk)
    edition.job = job
    edition.save(update_fields=["job"])
    return edition, job


@transaction.atomic
def publish(*, edition_id: int, area: Area, person: Person) -> Edition:
    """Sign a draft off: it gets the area's next number and never changes again."""
    Area.objects.select_for_update().get(pk=area.pk)  # numbers are given one after another
    edition = Edition.objects.select_for_update().get(pk=edition_id, area=area)
    if edition.state != Edition.State.DRAFT:
        raise EditionError("Only a draft whose pages are made can be published.")
    last = Edition.objects.filter(area=area).aggregate(last=Max("number"))["last"]
    edition.number = (last or 0) + 1
    edition.state = Edition.State.PUBLISHED
    edition.published_by, edition.published_at = person, timezone.now()
    edition.save(update_fields=["number", "state", "published_by", "published_at"])
    models_published.send(
        StoredModel, models=edition.content.get("models", []), person=person, label=f"Edition {edition.number}, {edition.title}"
    )  # fmt: skip
    return edition


@transaction.atomic
def discard(*, edition_id: int, area: Area) -> None:
    """Delete a draft. A published edition can't be deleted."""
    edition = Edition.objects.select_for_update().get(pk=edition_id, area=area)
    if edition.state == Edition.State.PUBLISHED:
        raise EditionError("A published edition is kept. Revoke its reading links to stop outsiders reading it.")
    edition.delete()


def share(*, edition: Edition, person: Person, label: str) -> str:
    """Make a reading link and return its token, which is shown once and not kept."""
    if edition.state != Edition.State.PUBLISHED:
        raise EditionError("Publish the draft first; then it can be shared.")
    token = secrets.token_urlsafe(24)
    ReadingLink.objects.create(edition=edition, token_hash=ReadingLink.hash_of(token), label=label, made_by=person)
    return token


def revoke(link: ReadingLink) -> None:
    """End a reading link at once."""
    ReadingLink.objects.filter(pk=link.pk, revoked_at__isnull=True).update(revoked_at=timezone.now())
