"""What slows the guessing of passwords: by name and address, and by address over many names."""

from __future__ import annotations

from typing import Any

from axes.handlers.database import AxesDatabaseHandler
from axes.helpers import get_cool_off
from axes.models import AccessAttempt
from django.conf import settings
from django.utils import timezone


class AddressHandler(AxesDatabaseHandler):  # type: ignore[misc]  # the package has no types
    """Counts failures by name and address, as usual, and closes an address that tries many names."""

    def is_locked(self, request: Any, credentials: dict[str, Any] | None = None) -> bool:
        """Say whether this request may not sign in now."""
        return bool(super().is_locked(request, credentials)) or tries_many_names(request.axes_ip_address)


def tries_many_names(address: str | None) -> bool:
    """Say whether sign-ins failed from one address under so many names lately that somebody is guessing."""
    recent = AccessAttempt.objects.filter(ip_address=address, attempt_time__gte=timezone.now() - get_cool_off())
    return bool(address) and recent.values("username").distinct().count() >= settings.SIGN_IN_MOST_NAMES
