"""Proposing, agreeing and returning definitions; commenting; telling those who follow, here and by mail."""

from __future__ import annotations

import logging
import re
from collections.abc import Sequence

from django.conf import settings
from django.core.mail import send_mail
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from indexa.areas.models import Area, Membership, Person
from indexa.modeling.editing import Place, place_of
from indexa.reviewing.models import Comment, Follow, Notice, Review
from indexa.store.errors import EditError
from indexa.store.models import StoredColumn, StoredTable

logger = logging.getLogger(__name__)
_LONGEST = 4_000
_MENTION = re.compile(r"(?<![\w@])@([\w.+-]{1,150})")
State = Review.State


def item_of(area: Area, target: str, object_id: int) -> StoredColumn | StoredTable:
    """Return what is reviewed or commented. Raises EditError where it is not in the area."""
    found: StoredColumn | StoredTable | None = None
    if target == "column":
        found = (
            StoredColumn.objects.select_related("table", "attribute")
            .filter(pk=object_id, table__model__area=area)
            .first()
        )
    elif target == "table":
        found = StoredTable.objects.select_related("entity").filter(pk=object_id, model__area=area).first()
    if found is None:
        raise EditError("What this is about is no longer there. Load the page again.")
    return found


def definition_of(item: StoredColumn | StoredTable) -> tuple[Place, str]:
    """Return where an object's definition is kept, and its text: its own where it has one, else that of what it implements."""
    shared = item.attribute if isinstance(item, StoredColumn) else item.entity
    if item.definition or shared is None:
        return place_of(item, only_here=True), item.definition
    return place_of(item, only_here=False), shared.definition


def state_of(item: StoredColumn | StoredTable) -> tuple[str, Review | None]:
    """Return "draft", "proposed", "agreed" or "returned" (with the review), or "" where there is no definition."""
    place, text = definition_of(item)
    if not text:
        return "", None
    review = (
        Review.objects.filter(target=place.target, object_id=place.object_id)
        .select_related("proposed_by", "decided_by")
        .first()
    )
    if review is None or review.text != text:
        return "draft", None
    return review.state, review


def _label(item: StoredColumn | StoredTable) -> str:
    return f"{item.table.full_name}.{item.name}" if isinstance(item, StoredColumn) else item.full_name


def address_of(area: Area, item: StoredColumn | StoredTable) -> str:
    """Return the page on which an object stands."""
    if isinstance(item, StoredColumn):
        return f"{reverse('modeling:table', args=[area.slug, item.table_id])}?column={item.pk}"
    return reverse("modeling:table", args=[area.slug, item.pk])


@transaction.atomic
def propose(*, area: Area, person: Person, item: StoredColumn | StoredTable) -> Review:
    """Propose a definition as it is to those who may agree. Raises EditError where there is none, or it is proposed already."""
    state, _ = state_of(item)
    place, text = definition_of(item)
    if not text:
        raise EditError("There is no definition to propose yet.")
    if state in (State.PROPOSED, State.AGREED):
        raise EditError(f"It is {state} already.")
    follow(person=person, item=item)
    return Review.objects.create(
        area=area, target=place.target, object_id=place.object_id, label=_label(item), text=text, proposed_by=person
    )


@transaction.atomic
def decide(*, area: Area, person: Person, review: Review, agree: bool, reason: str = "") -> None:
    """Agree to a definition or return it with a reason, as an approver who did not propose it. Those who follow it are told."""
    review = Review.objects.select_for_update(of=("self",)).get(pk=review.pk)
    reason = reason.replace("\x00", "").strip()[:_LONGEST]
    item = item_of(area, review.target, review.object_id)
    if review.state != State.PROPOSED or item.definition != review.text:
        raise EditError("The definition was decided or changed meanwhile. Load the page again.")
    if review.proposed_by_id == person.pk:
        raise EditError("Who proposed a definition does not agree to it. Ask another approver.")
    if not agree and not reason:
        raise EditError("Say why it goes back.")
    review.state, review.reason = State.AGREED if agree else State.RETURNED, reason
    review.decided_by, review.decided_at = person, timezone.now()
    review.save()
    told = f"{person.display_name} {'agreed to' if agree else 'returned'} the definition of {review.label}"
    _tell(area, item, told + (f": {reason}" if reason else "."), by=person)


@transaction.atomic
def comment(*, area: Area, person: Person, item: StoredColumn | StoredTable, text: str) -> Comment:
    """Say something about an object; who is mentioned as @name follows it from then on. Raises EditError for an empty text."""
    text = text.replace("\r\n", "\n").replace("\x00", "").strip()[:_LONGEST]
    if not text:
        raise EditError("Write something first.")
    target = "column" if isinstance(item, StoredColumn) else "table"
    made = Comment.objects.create(
        area=area, target=target, object_id=item.pk, label=_label(item), person=person, text=text
    )
    members = Membership.objects.filter(area=area, person__username__in=_MENTION.findall(text), person__is_active=True)
    mentioned = [one.person for one in members.select_related("person")]
    made.mentions.set(mentioned)
    for one in [person, *mentioned]:
        follow(person=one, item=item)
    _tell(area, item, f"{person.display_name} on {_label(item)}: {text}", by=person)
    return made


def follow(*, person: Person, item: StoredColumn | StoredTable, on: bool = True) -> None:
    """Follow an object, or (`on` False) no more."""
    target = "column" if isinstance(item, StoredColumn) else "table"
    if on:
        Follow.objects.get_or_create(person=person, target=target, object_id=item.pk)
    else:
        Follow.objects.filter(person=person, target=target, object_id=item.pk).delete()


def follows(person: Person, item: StoredColumn | StoredTable) -> bool:
    """Return whether somebody follows an object."""
    target = "column" if isinstance(item, StoredColumn) else "table"
    return Follow.objects.filter(person=person, target=target, object_id=item.pk).exists()


def _tell(area: Area, item: StoredColumn | StoredTable, text: str, *, by: Person) -> None:
    """Tell those who follow an object, or what implements it, who are members still; but not the one who did it."""
    target = "column" if isinstance(item, StoredColumn) else "table"
    ids = {item.pk, *item.realised_by.values_list("pk", flat=True)}
    people = Person.objects.filter(
        follows__target=target, follows__object_id__in=ids, memberships__area=area, is_active=True
    ).exclude(pk=by.pk).distinct()  # fmt: skip
    address = address_of(area, item)
    tell(area, list(people), text, address)


def tell(area: Area, told: Sequence[Person], text: str, address: str) -> None:
    """Tell people something, here and by mail."""
    Notice.objects.bulk_create([Notice(area=area, person=one, text=text, address=address) for one in told])
    to = [one.email for one in told if one.email]
    transaction.on_commit(lambda: _mail(to, text, address))


def _mail(to: list[str], text: str, address: str) -> None:
    for one in to:
        try:
            send_mail(f"[Indexa] {text.splitlines()[0][:120]}", f"{text}\n\n{settings.ADDRESS}{address}\n", None, [one])
        except OSError:
            logger.exception("mail about a comment or review could not be sent")


def see(person: Person, area: Area, pk: int | None = None) -> int:
    """Mark a notice, or all of an area, as seen. Returns how many."""
    found = Notice.objects.filter(person=person, area=area, seen_at__isnull=True)
    return (found.filter(pk=pk) if pk is not None else found).update(seen_at=timezone.now())
