"""Runs Commons in the foreground: makes its own schema in the database, says how to deliver to it, and serves."""

from __future__ import annotations

import os
import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import connection

from indexa.core.edition.open.received import CatalogProblem

DEFAULT_PORT = 8650


class Command(BaseCommand):
    help = "Run Commons, the catalog server that ships as a stand-in for a company's shared catalog."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Take the port, or what is harvested instead."""
        parser.add_argument("--port", type=int, default=DEFAULT_PORT)
        parser.add_argument(
            "--harvest", nargs=2, metavar=("NAME", "ADDRESS"), help="fetch a catalog by DCAT (Turtle, JSON-LD) and end"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        """Prepare schema and files, then harvest a catalog or become the server. Raises CommandError for what is no catalog."""
        from indexa.commons.harvesting import harvest

        with connection.cursor() as cursor:
            cursor.execute("create schema if not exists commons")
        call_command("migrate", verbosity=0, interactive=False)
        if options["harvest"]:
            try:
                outcome = harvest(*options["harvest"])
            except CatalogProblem as error:
                raise CommandError(str(error)) from None
            self.stdout.write(", ".join(f"{count:,} {word}" for word, count in outcome._asdict().items()))
            return
        call_command("collectstatic", verbosity=0, interactive=False)
        port = options["port"]
        self.stdout.write(
            f"Commons is at http://127.0.0.1:{port}/\nCatalogs are delivered to http://127.0.0.1:{port}/api/catalogs/NAME/ with the token in "
            f"{settings.COMMONS_TOKEN_FILE}\nStop it with Ctrl C"
        )
        self.stdout.flush()
        gunicorn = str(Path(sys.executable).parent / "gunicorn")
        address = ["-b", f"127.0.0.1:{port}", "-w", "2", "--timeout", "300", "--no-control-socket"]
        os.execv(gunicorn, [gunicorn, "indexa.config.wsgi:application", *address])  # noqa: S606  our own server, no words of others
