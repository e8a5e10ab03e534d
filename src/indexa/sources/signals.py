"""What reading sources tells others, without knowing them."""

from __future__ import annotations

from typing import NamedTuple

from django.dispatch import Signal

later_reading = Signal()
"""Sent by Intake when a source was read again, within the transaction: `intake`, `comparison`, `scheduled`.

A receiver that keeps its differences for a decision answers with a ReadingResult, any other with None.
"""


class ReadingResult(NamedTuple):
    """Where the result of a reading is shown, and how a mail words it."""

    address: str
    subject: str
    text: str
