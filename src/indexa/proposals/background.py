"""Where the work stands that this app does in the background."""

from indexa.proposals import deciding
from indexa.proposals import discovery as finding

__all__ = ["deciding", "finding"]
