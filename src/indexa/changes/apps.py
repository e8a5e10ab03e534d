"""The app of changes."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class ChangesConfig(AppConfig):
    name = "indexa.changes"
    label = "changes"

    def ready(self) -> None:
        """Let each app register the kinds of objects that it changes."""
        autodiscover_modules("change_targets")
