"""Where the work stands that this app does in the background."""

from indexa.sources import intake, scanning, schedules

__all__ = ["intake", "scanning", "schedules"]
