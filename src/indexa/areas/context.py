"""What the person of a request may do, for templates."""

from __future__ import annotations

from typing import NamedTuple

from django.http import HttpRequest

from indexa.areas.models import Role


class Can(NamedTuple):
    """What templates ask before they offer an act; views ask again (`policies`)."""

    edit: bool
    approve: bool
    administer: bool


def permissions(request: HttpRequest) -> dict[str, Can]:
    """Return what the role in the request's area allows; nothing outside of an area."""
    role = getattr(request, "role", 0)
    return {"can": Can(role >= Role.STEWARD, role >= Role.APPROVER, role >= Role.ADMINISTRATOR)}
