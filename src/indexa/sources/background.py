"""Names the modules that hold this app's background work."""

from indexa.sources import code_tables, intake, scanning, schedules

__all__ = ["code_tables", "intake", "scanning", "schedules"]
