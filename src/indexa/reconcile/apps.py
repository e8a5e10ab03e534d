"""The app of reconciling."""

from django.apps import AppConfig

from indexa.sources.signals import later_reading
from indexa.store.signals import brought_to_another_state, models_published


class ReconcileConfig(AppConfig):
    name = "indexa.reconcile"
    label = "reconcile"

    def ready(self) -> None:
        """Keep what later readings find for a decision."""
        from indexa.reconcile import drifting, services, versions

        later_reading.connect(services.follow_reading, dispatch_uid="reconcile")
        brought_to_another_state.connect(drifting.follow_state, dispatch_uid="drift")
        models_published.connect(versions.follow_publication, dispatch_uid="versions")
