"""The app of models."""

from django.apps import AppConfig

from indexa.changes.signals import objects_changed


class ModelingConfig(AppConfig):
    name = "indexa.modeling"
    label = "modeling"

    def ready(self) -> None:
        """Have the dictionary's rows follow what is changed."""
        from indexa.modeling.following import refresh_rows

        objects_changed.connect(refresh_rows, dispatch_uid="modeling")
