"""The app of the dictionary."""

from django.apps import AppConfig

from indexa.changes.signals import objects_changed
from indexa.describing.signals import aspects_changed
from indexa.store.signals import model_changed


class DictionaryConfig(AppConfig):
    name = "indexa.dictionary"
    label = "dictionary"

    def ready(self) -> None:
        """Have the dictionary's rows follow the store, and what people change."""
        from indexa.dictionary import refresh as following

        model_changed.connect(following.follow_store, dispatch_uid="dictionary")
        aspects_changed.connect(following.follow_aspects, dispatch_uid="dictionary")
        objects_changed.connect(following.follow_changes, dispatch_uid="dictionary")
