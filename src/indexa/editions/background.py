"""Names the modules that hold this app's background work."""

from indexa.editions import building, pushing

__all__ = ["building", "pushing"]
