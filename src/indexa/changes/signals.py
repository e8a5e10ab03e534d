"""What is sent when something was changed, whoever changed it."""

from django.dispatch import Signal

objects_changed = Signal()
"""Sent by ChangeSet once for each change set, within its transaction: `change_set`, and `ids`, the objects by their kind."""
