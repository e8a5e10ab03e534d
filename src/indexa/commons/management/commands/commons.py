"""Runs Commons in the foreground: makes its own schema in the database, says how to deliver to it, and serves."""

from __future__ import annotations

import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import connection

from indexa.commons.harvesting import forget, harvest, keep
from indexa.commons.serving import serve
from indexa.core.edition.open.received import CatalogProblem

DEFAULT_PORT = 8650
MOST_HOURS = 24 * 365


class Command(BaseCommand):
    help = "Run Commons, the catalog server that ships as a stand-in for a company's shared catalog."

    def add_arguments(self, parser: ArgumentParser) -> None:
        """Take the port, or what is harvested or forgotten instead."""
        parser.add_argument("--port", type=int, default=DEFAULT_PORT)
        parser.add_argument(
            "--harvest", nargs=2, metavar=("NAME", "ADDRESS"), help="fetch a catalog by DCAT (Turtle, JSON-LD) and end"
        )
        parser.add_argument(
            "--every", type=int, metavar="HOURS", help="with --harvest: fetch it again while Commons runs"
        )
        parser.add_argument("--forget", metavar="NAME", help="fetch a catalog no longer; what was fetched stays")

    def handle(self, *args: Any, **options: Any) -> None:
        """Prepare schema and files, then harvest a catalog or become the server. Raises CommandError for what is no catalog."""
        with connection.cursor() as cursor:
            cursor.execute("create schema if not exists commons")
        call_command("migrate", verbosity=0, interactive=False)
        if options["harvest"]:
            name, address = options["harvest"]
            self._harvest(name, address, options["every"])
            return
        if options["forget"]:
            if not forget(options["forget"]):
                raise CommandError(f"No catalog is fetched by a clock as {options['forget']}.")
            self.stdout.write(f"{options['forget']} is fetched no longer; what was fetched stays.")
            return
        call_command("collectstatic", verbosity=0, interactive=False)
        port = options["port"]
        self.stdout.write(
            f"Commons is at http://127.0.0.1:{port}/\nCatalogs are delivered to http://127.0.0.1:{port}/api/catalogs/NAME/ with the token in "
            f"{settings.COMMONS_TOKEN_FILE}\nStop it with Ctrl C"
        )
        self.stdout.flush()
        gunicorn = str(Path(sys.executable).parent / "gunicorn")
        address = [
            "-b",
            f"127.0.0.1:{port}",
            "-w",
            "2",
            "--threads",
            "8",
            "--timeout",
            "300",
            "--graceful-timeout",
            "5",
            "--no-control-socket",
        ]
        sys.exit(serve([gunicorn, "indexa.config.wsgi:application", *address], settings.COMMONS_LOOKS_EVERY))

    def _harvest(self, name: str, address: str, every: int | None) -> None:
        """Fetch a catalog, and again every so many hours if that is wanted."""
        if every is not None and not 1 <= every <= MOST_HOURS:
            raise CommandError(f"--every takes 1 to {MOST_HOURS:,} hours.")
        try:
            outcome = harvest(name, address)
        except CatalogProblem as error:
            raise CommandError(str(error)) from None
        if every:
            keep(name, address, every)
        self.stdout.write(
            outcome.words + (f"; fetched again every {every:,} hours while Commons runs" if every else "")
        )
