"""Where the work stands that this app does in the background."""

from indexa.naming import finding_words, passes, settling, standards

__all__ = ["finding_words", "passes", "settling", "standards"]
