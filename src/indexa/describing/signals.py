"""What is sent when something else can be said of objects."""

from django.dispatch import Signal

aspects_changed = Signal()
"""Sent by Aspect when one came, went, applies otherwise or has another default, within the transaction: `area`, `person`."""
