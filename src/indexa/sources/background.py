"""Names the modules that hold this app's background work."""

from indexa.sources import intake, scanning, schedules

__all__ = ["intake", "scanning", "schedules"]
