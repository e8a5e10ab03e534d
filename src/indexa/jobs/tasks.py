"""What procrastinate runs: one task for every kind of job, and the look-out for lost ones."""

from __future__ import annotations

from django.db import connections
from procrastinate.contrib.django import app

from indexa.jobs import services


@app.task(name="run_job")
def run_job(job_id: int) -> None:
    """Run a job; how it went stands in its row."""
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
@app.task(name="read_on_schedule", queueing_lock="read_on_schedule")
def read_on_schedule(timestamp: int) -> None:
    """Start the readings that are due, once a minute."""
    from indexa.sources import schedules

    try:
        schedules.run_due()
    finally:
        connections.close_all()
