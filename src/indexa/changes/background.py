"""Where the work stands that this app does in the background."""

from indexa.changes import undoing

__all__ = ["undoing"]
