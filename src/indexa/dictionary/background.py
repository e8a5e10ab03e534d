"""Where the work stands that this app does in the background."""

from indexa.dictionary import exports
from indexa.dictionary import refresh as following

__all__ = ["exports", "following"]
