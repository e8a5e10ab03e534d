"""`manage.py work`: take up lost jobs, then work on the queue until told to stop, through outages of the database."""

from __future__ import annotations

import logging
import signal
from threading import Event
from typing import Any

from django.core.management import BaseCommand, call_command
from django.db import connections

from indexa.jobs import services

logger = logging.getLogger(__name__)
LONGEST_PAUSE = 15.0


class Command(BaseCommand):
    help = "Takes up jobs that lost their worker, then works on the queue."

    def handle(self, *args: Any, **options: Any) -> None:
        stopping = Event()
        for sign in (signal.SIGTERM, signal.SIGINT):
            signal.signal(sign, lambda *_: stopping.set())
        pause = 1.0
        while not stopping.is_set():
            try:
                services.recover()
                pause = 1.0
                call_command("procrastinate", "worker", concurrency=2, shutdown_graceful_timeout=10)
                return  # it was told to stop
            except Exception as error:  # whatever ends the queue, the work is to go on
                logger.warning(
                    "the queue broke off, it is taken up again in %.0f s: %s", pause, " ".join(str(error).split())[:200]
                )
                connections.close_all()
                stopping.wait(pause)
                pause = min(2 * pause, LONGEST_PAUSE)
