"""What procrastinate runs: one task for every kind of job, and the look-out for lost ones."""

from __future__ import annotations

import logging

from django.db import connections
from procrastinate.contrib.django import app

from indexa.jobs import registry, services

logger = logging.getLogger(__name__)


@app.task(name="run_job")
def run_job(job_id: int) -> None:
    """Run a job; its row says how it went."""
    try:
        services.run(job_id)
    finally:
        connections.close_all()


@app.periodic(cron="* * * * *")
@app.task(name="recover_jobs", queueing_lock="recover_jobs")
def recover_jobs(timestamp: int) -> None:
    """Look for jobs that lost their worker, once a minute."""
    try:
        services.recover()
    finally:
        connections.close_all()


@app.periodic(cron="* * * * *")
@app.task(name="every_minute", queueing_lock="every_minute")
def every_minute(timestamp: int) -> None:
    """Call what is due once a minute; one that fails keeps no other from its turn."""
    for name, run in registry.minutely().items():
        try:
            run()
        except Exception:
            logger.exception("%s failed", name)
        finally:
            connections.close_all()
