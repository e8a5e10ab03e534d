"""`manage.py new_area`: the first area and its administrator, for an installation without the demo."""

import secrets
from typing import Any

from django.core.management import BaseCommand, CommandParser
from django.utils.text import slugify

from indexa.areas import services
from indexa.areas.models import Area, Person, Role


class Command(BaseCommand):
    help = "Makes an area and its first administrator; prints the password once."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--name", default="First area")
        parser.add_argument("--administrator", default="administrator")

    def handle(self, *args: Any, **options: Any) -> None:
        area, _ = Area.objects.get_or_create(
            slug=slugify(options["name"]) or "area", defaults={"name": options["name"]}
        )
        password = secrets.token_urlsafe(12)
        known = Person.objects.filter(username=options["administrator"]).exists()
        services.add_member(area=area, username=options["administrator"], role=Role.ADMINISTRATOR, password=password)
        text = "with the password they have" if known else f"with the password {password}"
        self.stdout.write(f"{options['administrator']} administers “{area.name}” and signs in {text}.")
