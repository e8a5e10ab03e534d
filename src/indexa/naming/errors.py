"""What can be wrong with a decision about names."""

from __future__ import annotations


class PassError(Exception):
    """What was asked of a pass can't be done; the text says why and what to do."""


class WordError(Exception):
    """A change of a wordbook that can't be made; the text says why and what to do."""
