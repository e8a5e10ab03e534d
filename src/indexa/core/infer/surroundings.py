"""What the tables of a schema tell of each other's columns: who speaks of whom, and where the same name stands."""

from __future__ import annotations

from collections import Counter

from indexa.core.infer.matching import Match, Matcher, stem_of
from indexa.core.infer.names import ALWAYS_KEY_WORDS, SchemaNames, TableNames

_SURE_READING = 0.6


class Surroundings:
    """Counts over all tables, made once for a schema."""

    def __init__(self, names: SchemaNames, matcher: Matcher) -> None:
        self._matcher = matcher
        self.speaking: list[dict[str, bool]] = []
        """For each table its columns, and whether each speaks of another table."""
        self.spoken_of: Counter[int] = Counter()
        """How many other tables have a column that names a table with a word that identifies."""
        self.holders: Counter[str] = Counter()
        """How many tables have a column of a name, in small letters."""
        self.leaders: Counter[str] = Counter()
        """How many tables begin with a column of a name, in small letters."""
        for number, named in enumerate(names.tables):
            speaks = {}
            targets: set[int] = set()
            for column in named.table.columns:
                said = self._said(named, column.name, number)
                speaks[column.name] = bool(said)
                if stem_of(named.columns[column.name]).key_words:
                    targets.update(match.table for match in said if not match.extra)
                self.holders[column.name.lower()] += 1
            if named.table.columns:
                self.leaders[named.table.columns[0].name.lower()] += 1
            self.speaking.append(speaks)
            self.spoken_of.update(targets)

    def _said(self, named: TableNames, column: str, number: int) -> list[Match]:
        """Return the other tables that a column names; of parts of names only where the rest is near."""
        stem = stem_of(named.columns[column])
        if not stem.words:
            return []
        near = {*named.words, *named.marks}
        return [
            match
            for match in self._matcher.matches(stem.words)
            if match.table != number
            and match.sure > _SURE_READING
            and not match.behind
            and (
                (match.how == "name" and (stem.key_words or not match.extra))
                or (
                    match.how == "ending"
                    and not match.extra
                    and near.issuperset(self._matcher.words(match.table)[: match.missing])
                )
            )
        ]

    def elsewhere(self, named: TableNames, column: str) -> tuple[int, int]:
        """Return how many other tables have a column of this name, and how many begin with it; of names that say no more
        than that they identify, none."""
        if ALWAYS_KEY_WORDS.issuperset(named.columns[column]):
            return 0, 0
        name = column.lower()
        leads = named.table.columns[0].name.lower() == name
        return self.holders[name] - 1, self.leaders[name] - leads
