"""Passwords at rest: sealed with a key that lives outside the database, each for one target only."""

from __future__ import annotations

import base64
import hashlib
import json

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings

from indexa.adapters.installation_key import installation_key


class SealBrokenError(Exception):
    """A sealed password can't be used; the message says why."""


def _fernet() -> Fernet:
    key = installation_key(settings.SOURCE_KEY_FILE)
    return Fernet(base64.urlsafe_b64encode(hashlib.sha256(key.encode()).digest()))


def seal(password: str, target: str) -> str:
    """Seal a password for the database, to be sent to this target and no other; an empty one stays empty."""
    sealed = json.dumps({"password": password, "target": target})
    return _fernet().encrypt(sealed.encode()).decode() if password else ""


def unseal(sealed: str, target: str) -> str:
    """Open what `seal` made. Raises SealBrokenError if the key was lost or replaced, or the target is another one."""
    if not sealed:
        return ""
    try:
        kept = json.loads(_fernet().decrypt(sealed.encode()))
    except InvalidToken as error:
        raise SealBrokenError("The stored password can't be opened with this installation's key.") from error
    if kept["target"] != target:
        raise SealBrokenError("The stored password was entered for another address.")
    return str(kept["password"])
