"""What the models' app tells others, without knowing them."""

from django.dispatch import Signal

brought_to_another_state = Signal()
"""Sent by StoredModel when a reading was taken into a model or taken back, within the transaction: `model`, `person`."""
