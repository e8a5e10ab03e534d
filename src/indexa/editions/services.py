"""Preparing, signing off, publishing, withdrawing and sharing editions."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Collection
from typing import Any

import msgspec
from django.contrib.auth.hashers import make_password
from django.db import transaction
from django.db.models import F, Max
from django.urls import reverse
from django.utils import timezone

from indexa.areas.models import Area, Membership, Person, Role
from indexa.changes.models import ChangeSet
from indexa.editions.choices import Choices
from indexa.editions.models import Approval, Edition, ReadingLink, SigningRule
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.reviewing.services import tell

State = Edition.State
OPEN = (State.BUILDING, State.DRAFT, State.REVIEW, State.SIGNED)
"""States in which an edition can still be discarded."""


class EditionError(Exception):
    """What was asked does not go with the state the edition is in."""


@transaction.atomic
def prepare(*, area: Area, person: Person, title: str, note: str, choices: Choices) -> tuple[Edition, Job]:
    """Have a draft made. It is looked at, changed, then sent for review or thrown away."""
    content = msgspec.to_builtins(choices)
    edition = Edition.objects.create(area=area, title=title, note=note, made_by=person, content=content)
    return edition, _have_made(edition, person)


@transaction.atomic
def change(*, edition_id: int, area: Area, person: Person, title: str, note: str, choices: Choices) -> Job:
    """Have a draft made again with other choices, by whoever changes it. Raises EditionError where it is no draft."""
    edition = settled(_locked(edition_id, area))
    if not can_change(edition):
        raise EditionError("Only a draft can be changed. Return it first if it is in review.")
    edition.title, edition.note, edition.made_by = title, note, person
    edition.content, edition.state = msgspec.to_builtins(choices), State.BUILDING
    edition.save(update_fields=["title", "note", "made_by", "content", "state"])
    edition.approvals.all().delete()
    return _have_made(edition, person)


def can_change(edition: Edition) -> bool:
    """Say whether the choices of an edition can be changed: those of a draft that is not being made just now."""
    is_stuck = edition.state == State.BUILDING and (edition.job is None or edition.job.is_over)
    return edition.state == State.DRAFT or is_stuck


def _have_made(edition: Edition, person: Person) -> Job:
    title = f"Making “{edition.title}”"
    edition.job = jobs.start(area=edition.area, kind="edition", title=title, person=person, edition=edition.pk)
    edition.save(update_fields=["job"])
    return edition.job


def approvals_wanted(area: Area) -> int:
    """Return how many people sign an edition of an area."""
    rule = SigningRule.objects.filter(area=area).first()
    return rule.approvals if rule is not None else 1


def possible_signers(edition: Edition) -> list[Person]:
    """Return who may sign an edition: approvers of the area, but not who prepared it."""
    members = Membership.objects.filter(area=edition.area, role__gte=Role.APPROVER, person__is_active=True)
    return [
        one.person
        for one in members.exclude(person=edition.made_by).select_related("person").order_by("person__first_name")
    ]


@transaction.atomic
def ask(*, edition_id: int, area: Area, person: Person, people: Collection[int]) -> Edition:
    """Ask people by name to sign a draft off. Raises EditionError for too few, or somebody who may not."""
    edition = _locked(edition_id, area)
    if edition.state != State.DRAFT:
        raise EditionError("Only a draft whose pages are made can be sent for review.")
    chosen = [one for one in possible_signers(edition) if one.pk in set(people)]
    wanted = approvals_wanted(area)
    if len(chosen) < max(1, wanted):
        raise EditionError(f"Choose at least {max(1, wanted)} who may sign it: approvers who did not prepare it.")
    edition.approvals.all().delete()
    for one in chosen:
        Approval.objects.create(edition=edition, person=one, name=one.display_name)
    edition.state = State.REVIEW
    edition.save(update_fields=["state"])
    tell(area, chosen, f"{person.display_name} asks you to sign “{edition.title}” off.", _address(edition))
    return edition


@transaction.atomic
def decide(*, edition_id: int, area: Area, person: Person, approve: bool, note: str = "") -> Edition:
    """Approve of exactly what an edition tells, or return it with a reason, as somebody who was asked."""
    edition = _locked(edition_id, area)
    asked = edition.approvals.filter(person=person).first()
    if edition.state != State.REVIEW or asked is None or asked.state != Approval.State.ASKED:
        raise EditionError("You are not asked to sign this edition, or it was decided meanwhile.")
    note = note.replace("\x00", "").strip()[:4_000]
    if not approve and not note:
        raise EditionError("Say why it goes back.")
    asked.state = Approval.State.APPROVED if approve else Approval.State.RETURNED
    asked.note, asked.decided_at, asked.digest, asked.name = (
        note,
        timezone.now(),
        edition.frozen_id or "",
        person.display_name,
    )
    asked.save()
    if not approve:
        edition.state = State.DRAFT
    elif edition.approvals.filter(state=Approval.State.APPROVED).count() >= max(1, approvals_wanted(area)):
        edition.state = State.SIGNED
    edition.save(update_fields=["state"])
    if edition.made_by is not None:
        verb = "signed" if approve else "returned"
        told = f"{person.display_name} {verb} “{edition.title}”{': ' + note if note else '.'}"
        tell(area, [edition.made_by], told, _address(edition))
    return edition


@transaction.atomic
def publish(*, edition_id: int, area: Area, person: Person) -> Job:
    """Publish what was signed off: it gets the area's next number and never changes again; its forms are made in a job.

    Where the area asks for no signatures, a draft can be published as it is.
    """
    Area.objects.select_for_update().get(pk=area.pk)  # numbers are given one after another
    edition = settled(_locked(edition_id, area))
    unsigned = edition.state == State.DRAFT and approvals_wanted(area) == 0
    if edition.state != State.SIGNED and not unsigned:
        raise EditionError("Only an edition that was signed off can be published.")
    signed = edition.approvals.filter(state=Approval.State.APPROVED)
    if not unsigned and any(one.digest != edition.frozen_id for one in signed):
        raise EditionError("What was signed is not what would be published. Discard it and prepare it again.")
    last = Edition.objects.filter(area=area).aggregate(last=Max("number"))["last"]
    edition.number = (last or 0) + 1
    edition.state, edition.published_by = State.PUBLISHING, person
    job = jobs.start(
        area=area, kind="publish edition", title=f"Publishing “{edition.title}”", person=person, edition=edition.pk
    )
    edition.job = job
    edition.save(update_fields=["number", "state", "published_by", "job"])
    return job


def settled(edition: Edition) -> Edition:
    """Return an edition as it stands once its job is over.

    One whose publication ended before it was done waits to be published again, as if it had never begun; a draft that could not be
    made again is the draft from before.
    """
    if edition.state == State.BUILDING and edition.frozen_id and edition.job is not None and edition.job.is_over:
        Edition.objects.filter(pk=edition.pk, state=State.BUILDING, job=edition.job).update(state=State.DRAFT)
        edition.refresh_from_db()
    if edition.state != State.PUBLISHING or edition.job is None or not edition.job.is_over:
        return edition
    signed = edition.approvals.filter(state=Approval.State.APPROVED).exists()
    Edition.objects.filter(pk=edition.pk, state=State.PUBLISHING, job=edition.job).update(
        state=State.SIGNED if signed else State.DRAFT, number=None, published_by=None
    )
    edition.refresh_from_db()
    return edition


def changes_since(edition: Edition, models: Collection[int]) -> int:
    """Return how many changes some models had since an edition was made."""
    return ChangeSet.objects.filter(model__in=models, at__gt=edition.made_at, in_force=True).count()


@transaction.atomic
def withdraw(*, edition_id: int, area: Area, person: Person, reason: str) -> Edition:
    """Take a published edition back, with a reason: it stays readable for members, marked, and its links end."""
    edition = _locked(edition_id, area)
    reason = reason.replace("\x00", "").strip()[:400]
    if edition.state not in (State.PUBLISHED, State.SUPERSEDED):
        raise EditionError("Only a published edition can be withdrawn.")
    if not reason:
        raise EditionError("Say why it is withdrawn.")
    edition.state = State.WITHDRAWN
    edition.summary["withdrawn"] = {"by": person.display_name, "at": timezone.now().isoformat(), "reason": reason}
    edition.save(update_fields=["state", "summary"])
    edition.reading_links.filter(revoked_at__isnull=True).update(revoked_at=timezone.now())
    return edition


@transaction.atomic
def discard(*, edition_id: int, area: Area) -> None:
    """Delete a draft. A published edition can't be deleted."""
    edition = _locked(edition_id, area)
    if edition.state not in OPEN:
        raise EditionError(
            "A published edition is kept. Withdraw it, or revoke its reading links, to stop outsiders reading it."
        )
    edition.delete()


def share(*, edition: Edition, person: Person, label: str, days: int | None = None, passphrase: str = "") -> str:
    """Make a reading link and return its token, which is shown once and not kept; `days` ends it by itself, a passphrase is asked for."""
    if edition.state not in (State.PUBLISHED, State.SUPERSEDED):
        raise EditionError("Publish the draft first; then it can be shared.")
    token = secrets.token_urlsafe(24)
    ends = timezone.now() + dt.timedelta(days=days) if days else None
    ReadingLink.objects.create(
        edition=edition,
        token_hash=ReadingLink.hash_of(token),
        label=label,
        made_by=person,
        ends_at=ends,
        passphrase=make_password(passphrase) if passphrase else "",
    )
    return token


def revoke(link: ReadingLink) -> None:
    """End a reading link at once."""
    ReadingLink.objects.filter(pk=link.pk, revoked_at__isnull=True).update(revoked_at=timezone.now())


def count_opening(link: ReadingLink) -> None:
    """Count that the first page was opened through a link."""
    ReadingLink.objects.filter(pk=link.pk).update(opened=F("opened") + 1)


def record_of(edition: Edition) -> dict[str, Any]:
    """Return the record of an edition: what it is, who signed what and when, and the checksum of its files."""
    return {
        "edition": edition.number, "title": edition.title, "area": edition.area.name, "state": edition.state,
        "prepared by": edition.made_by.display_name if edition.made_by else "", "prepared at": edition.made_at,
        "content SHA-256": edition.frozen_id, "files SHA-256": edition.checksum,
        "published by": edition.published_by.display_name if edition.published_by else "", "published at": edition.published_at,
        "sign-offs": [
            {
                "person": one.name, "state": one.state, "content SHA-256": one.digest, "asked at": one.asked_at, "decided at": one.decided_at,
                "note": one.note,
            }
            for one in edition.approvals.all()
        ],
        "files": [
            {"path": path, "SHA-256": digest} for path, digest in edition.files.order_by("path").values_list("path", "stored_id")
        ],
    }  # fmt: skip


def _locked(edition_id: int, area: Area) -> Edition:
    return Edition.objects.select_for_update(of=("self",)).get(pk=edition_id, area=area)


def _address(edition: Edition) -> str:
    return reverse("editions:page", args=[edition.area.slug, edition.pk])
