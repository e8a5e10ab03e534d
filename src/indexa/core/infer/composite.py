"""References by several columns: a table that holds all columns of another one's composite key."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable

import msgspec

from indexa.core.infer.choice import is_strong, speaks_of
from indexa.core.infer.data import DataSaid
from indexa.core.infer.foreign import Weigher
from indexa.core.infer.keys import KeyChoice
from indexa.core.infer.matching import stem_of
from indexa.core.infer.weights import COMPOSITE
from indexa.core.model import Table

_TURNING = frozenset(
    "lang language locale version revision date time day year month type kind status name position level".split()
)
_LEAST_KEY_CONFIDENCE = 0.35
_MOST_PREFIXES = 12
_MOST_HOLDERS = 60
"""Columns that more tables hold together are no key of one of them but what all rows carry, as a client's number."""


class CompositeChoice(msgspec.Struct):
    """Columns of a table, and a composite key that they may refer to, pair by pair."""

    columns: tuple[str, ...]
    target: int
    ref_columns: tuple[str, ...]
    features: dict[str, float]
    confidence: float = 0.0


class CompositeWeigher:
    """Finds composite references of all tables, given the keys that are declared or likely."""

    def __init__(self, weigher: Weigher, keys: list[list[KeyChoice]], data: DataSaid | None = None) -> None:
        self._weigher, self._names, self._data = weigher, weigher.names, data
        self._holding: dict[str, set[int]] = defaultdict(set)
        for number, one in enumerate(self._names.tables):
            for column in one.table.columns:
                self._holding[column.name.lower()].add(number)
        self._keys: list[tuple[int, tuple[str, ...], float, bool]] = []
        for number, one in enumerate(self._names.tables):
            self._keys += _composite_keys(number, one.table, keys[number])
        self._alike = Counter(frozenset(c.lower() for c in columns) for _, columns, _, _ in self._keys)
        self._by_table: dict[int, list[CompositeChoice]] = defaultdict(list)
        self._by_suffix = _suffixes(self._holding)
        naming = self._naming({key[0] for key in self._keys})
        for key in self._keys:
            target, ref_columns = key[:2]
            made = self._holders(target, ref_columns)
            known = set(made)
            for child, columns in made:
                self._add(child, columns, key, {"held by many": math.log(len(made))})
            for child, columns in self._with_a_prefix(target, ref_columns):
                if (child, columns) not in known:
                    known.add((child, columns))
                    self._add(child, columns, key, {"all with one role": 1.0})
            for child, name, role in naming[target]:
                for columns in self._completed(child, name, target, ref_columns):
                    if (child, columns) not in known:
                        known.add((child, columns))
                        self._add(child, columns, key, {"one part names the table": 1.0, "with a role": float(role)})

    def choices(self, number: int) -> list[list[CompositeChoice]]:
        """Return the choices of a table: for each row of columns those keys that it may refer to, the likeliest first."""
        by_columns: dict[frozenset[str], list[CompositeChoice]] = defaultdict(list)
        for choice in self._by_table.get(number, ()):
            by_columns[frozenset(choice.columns)].append(choice)
        found = []
        for made in by_columns.values():
            scores = [sum(COMPOSITE.get(name, 0.0) * value for name, value in one.features.items()) for one in made]
            top = max(0.0, *scores)
            total = math.exp(-top) + sum(math.exp(score - top) for score in scores)
            for one, score in zip(made, scores, strict=True):
                one.confidence = math.exp(score - top) / total
            found.append(sorted(made, key=lambda one: -one.confidence))
        return found

    def _add(
        self,
        child: int,
        columns: tuple[str, ...],
        key: tuple[int, tuple[str, ...], float, bool],
        features: dict[str, float],
    ) -> None:
        choice = self._describe(child, columns, key)
        if choice is not None:
            choice.features.update(features)
            if "one part names the table" in features:
                choice.features["rivals"] = 0.0
            self._by_table[child].append(choice)

    def _naming(self, targets: set[int]) -> dict[int, list[tuple[int, str, bool]]]:
        """Return for each of the tables the columns that name it: number of their table, column, and whether with a role."""
        found: dict[int, list[tuple[int, str, bool]]] = defaultdict(list)
        for child, one in enumerate(self._names.tables):
            for column, words in one.columns.items():
                stem = stem_of(words).words
                for match in self._weigher.matcher.matches(stem) if stem else ():
                    if match.table in targets and match.table != child and is_strong(match):
                        found[match.table].append((child, column, bool(match.extra)))
        return found

    def _with_a_prefix(self, target: int, ref_columns: tuple[str, ...]) -> list[tuple[int, tuple[str, ...]]]:
        """Return rows of columns that have the names of a key's columns, all behind the same role: parent_name, parent_space."""
        found = []
        prefixes = set.intersection(*(self._by_suffix.get(name.lower(), set()) for name in ref_columns))
        for prefix in sorted(prefixes)[:_MOST_PREFIXES]:
            names = [prefix + name.lower() for name in ref_columns]
            for child in sorted(set.intersection(*(self._holding[name] for name in names)))[:_MOST_HOLDERS]:
                by_name = {one.name.lower(): one.name for one in self._names.tables[child].table.columns}
                found.append((child, tuple(by_name[name] for name in names)))
        return found

    def _completed(self, child: int, column: str, target: int, ref_columns: tuple[str, ...]) -> list[tuple[str, ...]]:
        """Return rows of columns for a key of which one column stands for what the table is, and the others go by their names."""
        by_name = {one.name.lower(): one.name for one in self._names.tables[child].table.columns}
        theirs = self._names.tables[target]
        found = []
        for place, ref_column in enumerate(ref_columns):
            stem = stem_of(theirs.columns[ref_column]).words
            if stem and stem != ("name",) and not speaks_of(theirs.aliases, stem):
                continue
            text = [column if at == place else by_name.get(name.lower()) for at, name in enumerate(ref_columns)]
            if all(text):
                found.append(tuple(name for name in text if name))
        return found

    def _holders(self, target: int, columns: tuple[str, ...]) -> list[tuple[int, tuple[str, ...]]]:
        """Return the tables that hold all columns of a key, by the same names or with the table's name before them."""
        theirs = self._names.tables[target]
        whole = [self._holding[column.lower()] for column in columns]
        found = []
        same = set.intersection(*whole) - {target}
        if len(same) <= _MOST_HOLDERS:
            for child in sorted(same):
                by_name = {column.name.lower(): column.name for column in self._names.tables[child].table.columns}
                found.append((child, tuple(by_name[column.lower()] for column in columns)))
        prefixed = []
        for column in columns:
            names = {"_".join((*alias, column.lower())) for alias in (*theirs.aliases, (theirs.table.name.lower(),))}
            prefixed.append(names)
        if any(self._holding.keys() & names for names in prefixed):
            near = set.union(*(self._holding[name] for names in prefixed for name in names if name in self._holding))
            for child in sorted(near - {target}):
                by_name = {column.name.lower(): column.name for column in self._names.tables[child].table.columns}
                text = [
                    next((by_name[name] for name in (*sorted(names), column.lower()) if name in by_name), None)
                    for column, names in zip(columns, prefixed, strict=True)
                ]
                if None not in text:
                    found.append((child, tuple(name for name in text if name)))
        return found

    def _describe(
        self, child: int, columns: tuple[str, ...], key: tuple[int, tuple[str, ...], float, bool]
    ) -> CompositeChoice | None:
        target, ref_columns, confidence, primary = key
        own, theirs = self._names.tables[child], self._names.tables[target]
        if len(set(columns)) < len(columns) or self._declared(child, columns):
            return None
        by_name = {column.name: column for column in own.table.columns}
        ref_by_name = {column.name: column for column in theirs.table.columns}
        features: dict[str, float] = {"any": 1.0, f"of {min(len(columns), 4)}": 1.0}
        for name, ref_name in zip(columns, ref_columns, strict=True):
            mine, other = by_name[name], ref_by_name[ref_name]
            if not self._weigher.signs.families_agree(mine.type, other.type):
                return None
            if mine.type.lower() != other.type.lower():
                features["other type"] = 1.0
            words = own.columns[name]
            if not stem_of(words).words or words[-1] in _TURNING:
                features["says little"] = features.get("says little", 0.0) + 1 / len(columns)
        if any(speaks_of(theirs.aliases, stem_of(theirs.columns[name]).words) for name in ref_columns):
            features["key speaks of its table"] = 1.0
        if any(name.lower() != ref_name.lower() for name, ref_name in zip(columns, ref_columns, strict=True)):
            features["table's name before"] = 1.0
        own_words, their_words = set(own.words), set(theirs.words)
        if their_words < own_words:
            features["name holds the other's"] = 1.0
            if (*own.marks, *own.words)[: len(theirs.marks) + len(theirs.words)] == (*theirs.marks, *theirs.words):
                features["name goes on from the other's"] = 1.0
        elif own_words & their_words:
            features["names share words"] = 1.0
        elif own_words < their_words:
            features["other's name holds this one's"] = 1.0
        own_key = set(own.table.primary_key.columns) if own.table.primary_key else set()
        if own_key == set(columns):
            features["the key itself"] = 1.0
        elif own_key > set(columns):
            features["in the key"] = 1.0
        places = [by_name[name].position for name in columns]
        if places == list(range(min(places), min(places) + len(places))):
            features["side by side"] = 1.0
        if any(by_name[name].nullable for name in columns):
            features["may be empty"] = 1.0
        if not primary:
            features["unique key"] = 1.0
        features["key unsure"] = 1 - confidence
        rivals = self._alike[frozenset(c.lower() for c in ref_columns)]
        features["rivals"] = math.log(rivals)
        if own.table.schema != theirs.table.schema:
            features["other schema"] = 1.0
        leading = [tuple(part.column for part in index.parts[: len(columns)]) for index in own.table.indexes]
        if any(set(parts) == set(columns) for parts in leading):
            features["indexed"] = 1.0
        ends = (own.table.full_name.lower(), theirs.table.full_name.lower())
        joined = sum(
            bool(self._weigher.joins.get(((ends[0], name.lower()), (ends[1], ref_name.lower()))))
            for name, ref_name in zip(columns, ref_columns, strict=True)
        )
        if joined == len(columns):
            features["joined"] = 1.0
        alone = sum(self._refers_elsewhere(child, name, target) for name in columns)
        if alone == len(columns):
            features["all refer elsewhere"] = 1.0
        elif alone:
            features["identifies within"] = 1.0
        if len(theirs.table.columns) <= len(ref_columns) + 1:
            features["target is all key"] = 1.0
        if self._data is not None:
            share = self._data.included.get(
                (own.table.schema, own.table.name, columns, theirs.table.schema, theirs.table.name, ref_columns)
            )
            if share is not None:
                features["data included" if share >= 1 else "data not included"] = 1.0
        return CompositeChoice(columns, target, ref_columns, features)

    def _declared(self, child: int, columns: tuple[str, ...]) -> bool:
        return any(set(key.columns) == set(columns) for key in self._names.tables[child].table.foreign_keys)

    def _refers_elsewhere(self, child: int, name: str, target: int) -> bool:
        made = self._weigher.chosen(child).get(name)
        return bool(made and made.confidence >= 0.5 and made.target.table != target)


def _suffixes(names: Iterable[str]) -> dict[str, set[str]]:
    """Return what stands before each ending of the names, cut at their marks: name → {parent_, child_}."""
    found: dict[str, set[str]] = defaultdict(set)
    for name in names:
        at = name.find("_")
        while 0 < at < len(name) - 1:
            found[name[at + 1 :]].add(name[: at + 1])
            at = name.find("_", at + 1)
    return found


def _composite_keys(number: int, table: Table, keys: list[KeyChoice]) -> list[tuple[int, tuple[str, ...], float, bool]]:
    found: dict[frozenset[str], tuple[int, tuple[str, ...], float, bool]] = {}
    if table.primary_key:
        if len(table.primary_key.columns) > 1:
            found[frozenset(table.primary_key.columns)] = (number, table.primary_key.columns, 1.0, True)
    else:
        for key in keys[:2]:
            if len(key.columns) > 1 and key.confidence >= _LEAST_KEY_CONFIDENCE:
                found[frozenset(key.columns)] = (number, key.columns, key.confidence, True)
    for unique in table.unique:
        if len(unique.columns) > 1:
            found.setdefault(frozenset(unique.columns), (number, unique.columns, 1.0, False))
    return list(found.values())
