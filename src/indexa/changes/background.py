"""Names the modules that hold this app's background work."""

from indexa.changes import undoing

__all__ = ["undoing"]
