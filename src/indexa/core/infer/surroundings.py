"""What the tables of a schema tell of each other's columns: who speaks of whom, and where the same name stands."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence

from indexa.core.infer.matching import Match, Matcher, stem_of
from indexa.core.infer.names import ALWAYS_KEY_WORDS, SchemaNames, TableNames

_SURE_READING = 0.6
_MOSTLY = 0.6
_LEAST_NOUN = 4
_CURRENT = ("current", "latest", "live", "active")
EDITIONS = frozenset("version revision rev edition generation".split())
"""Last words of columns that count the editions of a row."""


class Surroundings:
    """Counts over all tables, made once for a schema."""

    def __init__(self, names: SchemaNames, matcher: Matcher) -> None:
        self._matcher, self._names = matcher, names
        self._words = [(*named.marks, *named.words) for named in names.tables]
        self._by_words: dict[tuple[str, ...], list[int]] = defaultdict(list)
        for number, words in enumerate(self._words):
            self._by_words[words].append(number)
        self.speaking: list[dict[str, bool]] = []
        """For each table its columns, and whether each speaks of another table."""
        self.targets: list[dict[str, int]] = []
        """For each table its columns that speak of another one, and which that most likely is."""
        self.spoken_of: Counter[int] = Counter()
        """How many other tables have a column that names a table with a word that identifies."""
        self.holders: Counter[str] = Counter()
        """How many tables have a column of a name, in small letters."""
        self._tables_with: dict[str, set[int]] = defaultdict(set)
        self._holding: dict[frozenset[str], int] = {}
        self.leaders: Counter[str] = Counter()
        """How many tables begin with a column of a name, in small letters."""
        for number, named in enumerate(names.tables):
            speaks = {}
            targets: set[int] = set()
            likeliest = {}
            for column in named.table.columns:
                message = self._said(named, column.name, number)
                speaks[column.name] = bool(message)
                if message:
                    likeliest[column.name] = message[0].table
                if stem_of(named.columns[column.name]).key_words:
                    targets.update(match.table for match in message if not match.extra)
                self.holders[column.name.lower()] += 1
                self._tables_with[column.name.lower()].add(number)
            if named.table.columns:
                self.leaders[named.table.columns[0].name.lower()] += 1
            self.speaking.append(speaks)
            self.targets.append(likeliest)
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

    def holding(self, number: int, columns: Sequence[str]) -> int:
        """Return how many other tables have columns of all these names; 0 where a name says no more than that it identifies."""
        named = self._names.tables[number]
        names = frozenset(column.lower() for column in columns)
        if any(ALWAYS_KEY_WORDS.issuperset(named.columns[column]) for column in columns):
            return 0
        count = self._holding.get(names)
        if count is None:
            having = sorted((self._tables_with[name] for name in names), key=len)
            count = self._holding[names] = len(set.intersection(*having))
        return count - 1

    def known_there(self, number: int, first: str, column: str) -> bool:
        """Say whether the table that the first column speaks of has a column of another's name, so that it follows from it."""
        target = self.targets[number].get(first)
        return target is not None and target in self._tables_with[column.lower()]

    def edition(self, number: int) -> str:
        """Return the column that tells the rows apart that a table keeps of one row of the table that it is a copy of:
        `version` of nodes beside current_nodes, `rev` of orders_aud, `branch_uuid` of branched_host; "" for none."""
        named = self._names.tables[number]
        if not self._has_twin(number):
            return ""
        added = (*named.marks, named.words[0], named.words[-1])
        for column in named.table.columns:
            words = named.columns[column.name]
            if column.name not in named.needed:
                continue
            if EDITIONS.issuperset(words):
                return column.name
            stem = stem_of(words)
            noun = stem.words[-1] if stem.words and stem.key_words else ""
            if len(noun) >= _LEAST_NOUN and any(word.startswith(noun) and word != noun for word in added):
                return column.name
        return ""

    def _has_twin(self, number: int) -> bool:
        """Say whether another table has nearly the same columns, and the same name but for a word that tells copies."""
        mine = self._words[number]
        if mine[0] in _CURRENT or mine[-1] in _CURRENT:
            return False
        near = [mine[1:], mine[:-1]] if len(mine) > 1 else []
        near += [(word, *mine) for word in _CURRENT] + [(*mine, word) for word in _CURRENT]
        columns = {column.name.lower() for column in self._names.tables[number].table.columns}
        for words in near:
            for other in self._by_words.get(words, ()):
                others = {column.name.lower() for column in self._names.tables[other].table.columns}
                if len(columns & others) >= max(3, _MOSTLY * len(others)):
                    return True
        return False

    def elsewhere(self, named: TableNames, column: str) -> tuple[int, int]:
        """Return how many other tables have a column of this name, and how many begin with it; of names that say no more
        than that they identify, none."""
        if ALWAYS_KEY_WORDS.issuperset(named.columns[column]):
            return 0, 0
        name = column.lower()
        leads = named.table.columns[0].name.lower() == name
        return self.holders[name] - 1, self.leaders[name] - leads
