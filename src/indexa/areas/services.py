"""Taking people into an area, changing their role, letting them go."""

from __future__ import annotations

from django.db import transaction

from indexa.areas.models import Area, Membership, Person, Role


class LastAdministratorError(Exception):
    """An area always keeps one administrator."""


@transaction.atomic
def take_in(
    *,
    area: Area,
    username: str,
    role: Role,
    password: str = "",
    first_name: str = "",
    last_name: str = "",
    email: str = "",
) -> Membership:
    """Give a person a role in the area; make the person first if nobody has the sign-in name.

    A mail address is kept where there is none yet.
    """
    person = Person.objects.filter(username=username).first()
    if person is None:
        person = Person.objects.create_user(
            username=username, password=password, first_name=first_name, last_name=last_name, email=email
        )
    elif email and not person.email:
        person.email = email
        person.save(update_fields=["email"])
    membership, _ = Membership.objects.update_or_create(area=area, person=person, defaults={"role": role})
    return membership


@transaction.atomic
def change_role(*, area: Area, membership_id: int, role: Role | None) -> Membership:
    """Change a member's role, or with None end the membership.

    Raises LastAdministratorError rather than leave the area without an administrator.
    """
    members = list(Membership.objects.select_for_update().filter(area=area).select_related("person"))
    membership = next(m for m in members if m.pk == membership_id)
    administrators = [m for m in members if m.role == Role.ADMINISTRATOR]
    if administrators == [membership] and role != Role.ADMINISTRATOR:
        raise LastAdministratorError(
            f"{membership.person.display_name} is the only administrator. Make somebody else one first."
        )
    if role is None:
        membership.delete()
    else:
        membership.role = role
        membership.save(update_fields=["role"])
    return membership
