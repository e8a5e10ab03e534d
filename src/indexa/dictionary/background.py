"""Names the modules that hold this app's background work."""

from indexa.dictionary import exports
from indexa.dictionary import refresh as following

__all__ = ["exports", "following"]
