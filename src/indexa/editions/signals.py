"""Told when an edition is published, with `edition` and `person`, within its transaction."""

from django.dispatch import Signal

edition_published = Signal()
