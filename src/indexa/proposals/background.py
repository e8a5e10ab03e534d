"""Where the work stands that this app does in the background."""

from indexa.proposals import deciding, finding

__all__ = ["deciding", "finding"]
