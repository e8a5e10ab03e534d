"""The app of names."""

from __future__ import annotations

from typing import Any

from django.apps import AppConfig

from indexa.store.signals import brought_to_another_state


class NamingConfig(AppConfig):
    name = "indexa.naming"
    label = "naming"

    def ready(self) -> None:
        """Have names checked again when what carries them changed."""
        brought_to_another_state.connect(_check_again, dispatch_uid="naming")


def _check_again(sender: object, *, model: Any, person: Any, **_: object) -> None:
    from indexa.naming.standards import services as standards

    standards.check_again([model, *([model.logical] if model.logical else [])], person)
