"""Names the modules that hold this app's background work."""

from indexa.dictionary import coverage, exports, setting, sheets
from indexa.dictionary import refresh as following

__all__ = ["coverage", "exports", "following", "setting", "sheets"]
