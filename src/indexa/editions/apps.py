"""The app of editions."""

from django.apps import AppConfig


class EditionsConfig(AppConfig):
    name = "indexa.editions"
    label = "editions"

    def ready(self) -> None:
        """Have editions pushed where that is wanted, as soon as they are published."""
        from indexa.editions.pushing import push_when_published
        from indexa.editions.signals import edition_published

        edition_published.connect(push_when_published, dispatch_uid="pushing")
