"""Names the modules that hold this app's background work."""

from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import mining as finding_words

__all__ = ["finding_words", "passes", "settling", "standards"]
