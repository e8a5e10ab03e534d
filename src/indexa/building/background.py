"""What this app does in the background."""

from indexa.building import deriving

__all__ = ["deriving"]
