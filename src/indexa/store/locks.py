"""Keeping readings and edits of one model apart: an edit made while a reading is stored must not be lost."""

from __future__ import annotations

from django.db import connection

_LOCK_CLASS = 0x1DE8C


def hold_for_storing(model_id: int) -> None:
    """Wait until no edit of the model is open, and keep others out until the transaction ends."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_xact_lock(%s, %s)", [_LOCK_CLASS, model_id])


def try_for_editing(model_id: int) -> bool:
    """Keep readings out until the transaction ends; False if one is being stored right now."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_try_advisory_xact_lock_shared(%s, %s)", [_LOCK_CLASS, model_id])
        return bool(cursor.fetchone()[0])
