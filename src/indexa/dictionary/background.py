"""Where the work stands that this app does in the background."""

from indexa.dictionary import exports

__all__ = ["exports"]
