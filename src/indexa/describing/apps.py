"""The app of what is said about objects."""

from django.apps import AppConfig


class DescribingConfig(AppConfig):
    name = "indexa.describing"
    label = "describing"

    def ready(self) -> None:
        """Register what owners and classifications colour on diagrams."""
        from indexa.describing import marks

        assert marks
