"""Where the work stands that this app does in the background."""

from indexa.editions import building

__all__ = ["building"]
