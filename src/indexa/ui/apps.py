"""The app of the interface that all others share."""

from django.apps import AppConfig
from django.utils.module_loading import autodiscover_modules


class UiConfig(AppConfig):
    name = "indexa.ui"
    label = "ui"

    def ready(self) -> None:
        """Let each app register its parts of pages, and what of it the lookup finds."""
        autodiscover_modules("panels", "lookups")
