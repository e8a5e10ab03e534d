"""`manage.py prepare`: everything a start needs inside Django, in one process."""

from typing import Any

from django.core.management import BaseCommand, CommandParser, call_command

from indexa.areas.models import Area, Person
from indexa.demo import loading


class Command(BaseCommand):
    help = "Migrates, collects static files, and loads the demo unless --empty."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--empty", action="store_true", help="without the demo")

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0)
        call_command("collectstatic", verbosity=0, interactive=False)
        if not options["empty"] and not loading.is_loaded():
            self.stderr.write("indexa: loading the demo, Tarnbeck Water")
            loading.load()
        elif options["empty"] and not Area.objects.exists() and not Person.objects.exists():
            call_command("new_area", stdout=self.stdout)
        if loading.is_loaded():
            loading.follow_server()
            for username, first, last, role in loading.PEOPLE:
                self.stdout.write(f"  {role.label:<14} {username:<14} {loading.PASSWORD}   ({first} {last})")
