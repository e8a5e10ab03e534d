"""What the store tells others, without knowing them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from django.dispatch import Signal

brought_to_another_state = Signal()
"""Sent by StoredModel when a reading was taken into a model or taken back, within the transaction: `model`, `person`."""
model_changed = Signal()
"""Sent by StoredModel when rows of the store were written or deleted, within the transaction: `change`, a StoreChange."""
models_published = Signal()
"""Sent by StoredModel when an edition of models was published, within the transaction: `models` (ids), `person`, `label`."""


class StoreChange(NamedTuple):
    """Ids of what was written and of what goes, by kind; a whole model stands for all that is in it."""

    models: tuple[int, ...] = ()
    tables: tuple[int, ...] = ()
    columns: tuple[int, ...] = ()
    gone_models: tuple[int, ...] = ()
    gone_tables: tuple[int, ...] = ()
    gone_columns: tuple[int, ...] = ()


def send_model_changed(**ids: Iterable[int]) -> None:
    """Send `model_changed` with these ids; what goes is announced before it goes."""
    from indexa.store.models import StoredModel

    model_changed.send(StoredModel, change=StoreChange(**{kind: tuple(found) for kind, found in ids.items()}))
