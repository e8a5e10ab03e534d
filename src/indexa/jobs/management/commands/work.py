"""`manage.py work`: take up lost jobs, then work on the queue until told to stop."""

from typing import Any

from django.core.management import BaseCommand, call_command

from indexa.jobs import services


class Command(BaseCommand):
    help = "Takes up jobs that lost their worker, then works on the queue."

    def handle(self, *args: Any, **options: Any) -> None:
        services.recover()
        call_command("procrastinate", "worker", concurrency=2, shutdown_graceful_timeout=10)
