"""The app of diagrams."""

from django.apps import AppConfig


class DiagramsConfig(AppConfig):
    name = "indexa.diagrams"
    label = "diagrams"

    def ready(self) -> None:
        """Make known what can be told of tables only with the store."""
        from indexa.diagrams import changed_mark  # noqa: F401
