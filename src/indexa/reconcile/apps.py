"""The app of reconciling."""

from django.apps import AppConfig

from indexa.sources.signals import later_reading


class ReconcileConfig(AppConfig):
    name = "indexa.reconcile"
    label = "reconcile"

    def ready(self) -> None:
        """Keep what later readings find for a decision."""
        from indexa.reconcile import services

        later_reading.connect(services.follow_reading, dispatch_uid="reconcile")
