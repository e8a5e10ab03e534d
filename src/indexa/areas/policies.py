"""The one place that answers "may this person": no view or call asks in any other way."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, Concatenate, ParamSpec

from django.contrib.auth.models import AnonymousUser
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest
from django.http.response import HttpResponseBase

from indexa.areas.models import Area, Membership, Person, Role

P = ParamSpec("P")
View = Callable[..., HttpResponseBase]


class AreaRequest(HttpRequest):
    """A request whose area and role have been settled by `in_area`."""

    area: Area
    role: Role
    user: Person


def require(person: Person | AnonymousUser, area: Area, needed: Role) -> Role:
    """Return the person's role in the area if it is needed or higher.

    Raises Http404 for someone who is no member (who must not learn that the area exists), and
    PermissionDenied for a member whose role is too low.
    """
    found = Membership.objects.filter(area=area, person_id=person.pk or 0) if person.is_authenticated else None
    return _sufficient(found.select_related("area").first() if found is not None else None, needed)


def _sufficient(membership: Membership | None, needed: Role) -> Role:
    if membership is None:
        raise Http404("No such area.")
    role = Role(membership.role)
    if role < needed:
        raise PermissionDenied(
            f"This needs the role of {needed.label.lower()}; yours in “{membership.area.name}” is {role.label.lower()}. "
            "An administrator of the area can change it."
        )
    return role


def in_area(
    needed: Role, *, posting: Role | None = None
) -> Callable[[Callable[Concatenate[AreaRequest, P], HttpResponseBase]], View]:
    """Guard a view below /a/<slug>/: finds the area, asks for the role, and leaves both on the request.

    `posting` is the role that a request needs which may change something, where that is another one than for looking.
    """
    to_change = posting or needed

    def guard(view: Callable[Concatenate[AreaRequest, P], HttpResponseBase]) -> View:
        @wraps(view)
        def guarded(request: Any, area_slug: str, *args: P.args, **kwargs: P.kwargs) -> HttpResponseBase:
            membership = (
                Membership.objects.select_related("area")
                .filter(area__slug=area_slug, person_id=request.user.pk or 0)
                .first()
            )
            looks_only = request.method in ("GET", "HEAD", "OPTIONS")
            request.role = _sufficient(membership, needed if looks_only else to_change)
            assert membership is not None
            request.area = membership.area
            return view(request, *args, **kwargs)

        guarded.required_role, guarded.posting_role = needed, to_change  # type: ignore[attr-defined]
        return guarded

    return guard
