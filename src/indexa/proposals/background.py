"""Names the modules that hold this app's background work."""

from indexa.proposals import deciding
from indexa.proposals import discovery as finding

__all__ = ["deciding", "finding"]
