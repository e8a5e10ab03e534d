"""Names the modules that hold this app's background work."""

from indexa.editions import building

__all__ = ["building"]
