"""`manage.py billing_state later`: lets the demo's billing database change, so that reading it again has something to tell."""

from typing import Any

from django.core.management import BaseCommand, CommandError, CommandParser

from indexa.demo import loading, states


class Command(BaseCommand):
    help = "Brings the demo's billing database to its first or its later state."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("state", choices=sorted(states.STATES))

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            states.switch(loading.DATABASE, options["state"])
        except states.StateError as error:
            raise CommandError(str(error)) from error
        self.stdout.write(
            "The billing database has changed. Read it again: Sources, billing, Read again. The differences are shown, and "
            "nothing is applied before you decide."
        )
