"""How much a schema declares by itself lowers what is likely to be missing in it.

The weights of inference were fitted to schemas whose references were all hidden: there a column is a reference so often, with so
much for it. Where a share d of all references is declared and not looked at, the columns that are left are references less often:
their odds are those of the fit times 1 - d (Bayes' rule, taking what is missing as missing at random). d itself is the declared
references among those and the expected missing ones, which is solved by repeating it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from indexa.core.model import Model

_REPEATED = 30
_LEAST_UNDECLARED = 0.02
_WIDESPREAD_SHARE = 0.3
_WIDESPREAD_TABLES = 6
_WIDESPREAD_MOST = 0.5


def declared_references(model: Model) -> int:
    """Return how many references a model declares."""
    return sum(len(table.foreign_keys) for table in model.tables)


def undeclared_share(declared: int, confidences: Iterable[float]) -> float:
    """Return 1 - d, the factor for the odds of references that are not declared; 1 where nothing is declared."""
    likely = list(confidences)
    share = 1.0
    if not declared:
        return share
    for _ in range(_REPEATED):
        missing = sum(with_odds(one, share) for one in likely)
        share = max(missing / (declared + missing) if missing else 0.0, _LEAST_UNDECLARED)
    return share


def with_odds(confidence: float, factor: float) -> float:
    """Return a confidence whose odds are multiplied by a factor."""
    odds = confidence * factor
    return odds / (odds + 1 - confidence) if odds else 0.0


class Widespread:
    """Names of columns that so many tables have that they identify each table's own rows, as a public identifier does."""

    def __init__(self, model: Model) -> None:
        self._tables = len(model.tables)
        self._counts = Counter(
            name for table in model.tables for name in {column.name.lower() for column in table.columns}
        )

    def limit(self, column: str, ref_column: str, *, speaks_of_table: bool) -> float:
        """Return the highest confidence that a reference may have: a half where a widespread name is all that speaks for it."""
        name = column.lower()
        count = self._counts[name]
        is_widespread = count >= _WIDESPREAD_TABLES and count >= _WIDESPREAD_SHARE * self._tables
        return _WIDESPREAD_MOST if is_widespread and name == ref_column.lower() and not speaks_of_table else 1.0
