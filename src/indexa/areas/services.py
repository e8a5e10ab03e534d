"""Adding members to an area, changing their role, ending their membership."""

from __future__ import annotations

from django.db import transaction

from indexa.areas.models import Area, Membership, Person, Role


class LastAdministratorError(Exception):
    """An area always keeps one administrator."""


class AlreadyMemberError(Exception):
    """The person has a role in the area; roles are changed in the list of members only."""


@transaction.atomic
def add_member(
    *,
    area: Area,
    username: str,
    role: Role,
    password: str = "",
    first_name: str = "",
    last_name: str = "",
    email: str = "",
    has_first_password: bool = False,
) -> Membership:
    """Give a person a role in the area; make the person first if nobody has the sign-in name.

    A mail address is kept where there is none yet. Raises AlreadyMemberError.
    """
    person = Person.objects.filter(username=username).first()
    if person is None:
        person = Person.objects.create_user(
            username=username,
            password=password,
            first_name=first_name,
            last_name=last_name,
            email=email,
            has_first_password=has_first_password,
        )
    elif email and not person.email:
        person.email = email
        person.save(update_fields=["email"])
    membership, is_new = Membership.objects.get_or_create(area=area, person=person, defaults={"role": role})
    if not is_new:
        raise AlreadyMemberError(
            f"{person.display_name} is a member already, as {membership.get_role_display().lower()}. "
            "Change the role in the list."
        )
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
