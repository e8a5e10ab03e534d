"""How errors of Indexa's own database are told apart: it was away, or two transactions met."""

from __future__ import annotations

import psycopg
from django.db import InterfaceError, OperationalError

_AWAY = ("08", "57P", "53300")
"""SQLSTATEs of a server that is not reached, shuts down, starts up or takes no more connections."""
_IN_EACH_OTHERS_WAY = frozenset({"40001", "40P01", "55P03"})


def is_outage(error: BaseException | None) -> bool:
    """Say whether an error means that the database was not there, not that something was asked wrongly."""
    original = error.__cause__ if isinstance(error, (OperationalError, InterfaceError)) and error.__cause__ else error
    if isinstance(error, InterfaceError) or isinstance(original, psycopg.InterfaceError):
        return True
    return isinstance(original, psycopg.OperationalError) and (
        original.sqlstate is None or original.sqlstate.startswith(_AWAY)
    )


def is_collision(error: BaseException | None) -> bool:
    """Say whether an error means that two transactions met, so that one of them was given up whole."""
    original = error.__cause__ if isinstance(error, OperationalError) and error.__cause__ else error
    return isinstance(original, psycopg.OperationalError) and original.sqlstate in _IN_EACH_OTHERS_WAY
