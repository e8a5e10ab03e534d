"""Where the work stands that this app does in the background."""

from indexa.modeling import following

__all__ = ["following"]
