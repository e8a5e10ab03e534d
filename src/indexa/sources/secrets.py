"""Passwords at rest: sealed with a key that lives outside the database."""

from __future__ import annotations

import base64
import hashlib

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings

from indexa.settings.keys import installation_key


class SealBrokenError(Exception):
    """A sealed password can't be opened: the key is not the one it was sealed with."""


def _fernet() -> Fernet:
    key = installation_key(settings.SOURCE_KEY_FILE)
    return Fernet(base64.urlsafe_b64encode(hashlib.sha256(key.encode()).digest()))


def seal(password: str) -> str:
    """Seal a password for the database; an empty one stays empty."""
    return _fernet().encrypt(password.encode()).decode() if password else ""


def unseal(sealed: str) -> str:
    """Open what `seal` made. Raises SealBrokenError if the key was lost or replaced."""
    try:
        return _fernet().decrypt(sealed.encode()).decode() if sealed else ""
    except InvalidToken as error:
        raise SealBrokenError(
            "The stored password can't be opened with this installation's key. Enter it again."
        ) from error
