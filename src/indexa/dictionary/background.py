"""Where the work stands that this app does in the background."""

from indexa.dictionary import exports, following

__all__ = ["exports", "following"]
