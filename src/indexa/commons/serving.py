"""Running the server as a process beside this one, which fetches catalogs by a clock meanwhile."""

from __future__ import annotations

import signal
import subprocess
from collections.abc import Sequence

from django.db import DatabaseError, close_old_connections

from indexa.commons.harvesting import harvest_due


def serve(command: Sequence[str], looks_every: float) -> int:
    """Run the server until it ends, or this process is told to; returns what it ended with.

    `looks_every` are the seconds from one look at the clock to the next.
    """
    server = subprocess.Popen(command)
    signal.signal(signal.SIGTERM, lambda *_: server.terminate())
    signal.signal(signal.SIGINT, lambda *_: server.terminate())
    while True:
        try:
            return server.wait(timeout=looks_every)
        except subprocess.TimeoutExpired:
            _look()


def _look() -> None:
    """Fetch what is due; a database that is away for a while ends nothing."""
    close_old_connections()
    try:
        harvest_due()
    except DatabaseError:
        return
