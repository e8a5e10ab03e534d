"""The two states of the demo's billing database: as it is first, and a release later."""

from __future__ import annotations

from importlib.resources import files
from typing import Any

import psycopg
from django.conf import settings

STATES = {"first": "billing_first.sql", "later": "billing_later.sql"}


class StateError(Exception):
    """The database is not there, or in that state already."""


def address_of(database: str) -> dict[str, Any]:
    """Return how to connect to a database on the demo's server, as its owner."""
    own: dict[str, Any] = settings.DATABASES["default"]
    return {
        "host": own["HOST"], "port": own["PORT"], "user": own["USER"], "password": own["PASSWORD"], "dbname": database,
    }  # fmt: skip


def switch(database: str, state: str) -> None:
    """Bring the demo's billing database to one of its two states. Raises StateError where it is in that state already."""
    try:
        with psycopg.connect(**address_of(database)) as billing:
            later = billing.execute("select to_regclass('bill.wrt_off') is not null").fetchone()
            if later and later[0] == (state == "later"):
                raise StateError(f"The billing database is in that state ({state}) already.")
            billing.execute((files("indexa.demo") / STATES[state]).read_text().encode())
    except psycopg.OperationalError as error:
        raise StateError(f"The billing database of the demo can't be reached: {error}") from None
