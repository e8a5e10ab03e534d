"""Which column refers to which table: the choices of each column, weighed against each other and against none."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Callable

import msgspec

from indexa.core.infer.choice import Choice, Target, ending_of, is_named, is_strong, vote, weigh
from indexa.core.infer.data import DataSaid, Place
from indexa.core.infer.joins import End
from indexa.core.infer.key_signs import numbers_itself
from indexa.core.infer.keys import KeyChoice
from indexa.core.infer.matching import MEASURES, SELF_ROLES, Match, Matcher, Stem, stem_of
from indexa.core.infer.names import ALWAYS_KEY_WORDS, KEY_WORDS, SchemaNames, Words
from indexa.core.infer.signs import UNLIKE, Habits, Signs
from indexa.core.infer.weights import ALONE, FOREIGN
from indexa.core.model import Column

_ABLE = frozenset({"number", "text", "identifier", "binary", "other"})
_GENERIC = frozenset(
    "id code key name no num nr number uuid guid oid uid pk type date description title value status".split()
)
_MOST_CHOICES = 10
_KEPT = 4
"""How many choices of a column are weighed a second time."""
_LEAST_KEPT = 0.01
_KINDS = frozenset("type kind class".split())
_LEAST_LETTERS = 3
"""How many letters a key's name has at least, if a role and this one word are to name it."""
_LIKELY = 0.6


class Trend(msgspec.Struct):
    """What the likeliest references of a schema, weighed by themselves, have in common."""

    by_column: dict[str, dict[int, float]]
    """Column name in small letters → what columns of this name seem to refer to (`vote`), with their confidences added."""
    votes: dict[str, int]
    likeliest: dict[tuple[str, int], int]
    """Column name and vote → of how many columns it is the likeliest, however likely."""
    endings: dict[str, float]
    """Share of each kind of ending among the likely references."""
    referred: dict[int, float]
    """Table → how many columns seem to refer to it, with their confidences added."""


class Weigher:
    """Finds and weighs what each column of a schema may refer to."""

    def __init__(
        self,
        names: SchemaNames,
        matcher: Matcher,
        keys: list[list[KeyChoice]],
        joins: Counter[tuple[End, End]],
        platform: str,
        data: DataSaid | None = None,
    ) -> None:
        self.names, self.matcher, self.joins = names, matcher, joins
        self.numbers = {id(one.table): number for number, one in enumerate(names.tables)}
        self.by_full = {one.table.full_name.lower(): number for number, one in enumerate(names.tables)}
        self.targets: list[list[Target]] = [self._targets(number, keys[number]) for number in range(len(names.tables))]
        self._by_key_words: dict[Words, list[Target]] = defaultdict(list)
        for targets in self.targets:
            for target in targets:
                if not target.generic and (len(target.words) > 1 or len(target.words[0]) >= _LEAST_LETTERS):
                    self._by_key_words[target.words].append(target)
        self._by_place: dict[Place, list[Target]] = defaultdict(list)
        for number, made in enumerate(self.targets):
            table = names.tables[number].table
            for target in made:
                self._by_place[table.schema, table.name, target.column].append(target)
        self._join_ends: dict[End, list[End]] = defaultdict(list)
        for left, right in joins:
            self._join_ends[left].append(right)
        self._chosen: dict[int, dict[str, Choice]] = {}
        self._made: dict[int, dict[str, list[Choice]]] = {}
        self._standing = _standing(data) if data is not None else {}
        self._trend: Trend | None = None
        self._parts: dict[tuple[int, str], list[Place]] | None = None
        self.habits = self._learn()
        self.signs = Signs(names, matcher, self.targets, self.habits, joins, platform, data)

    # what can be referred to ---------------------------------------------------------------------------------------

    def _targets(self, number: int, keys: list[KeyChoice]) -> list[Target]:
        named = self.names.tables[number]
        table = named.table
        columns = {column.name: column for column in table.columns}
        found: dict[str, Target] = {}

        def add(column: str, primary: bool, confidence: float) -> None:
            if column in named.columns and column not in found:
                words = self.names.words(column)
                generic = not stem_of(words).words or (len(words) == 1 and words[0] in _GENERIC)
                numbered = numbers_itself(columns[column])
                found[column] = Target(
                    number, column, primary, confidence, generic, words, columns[column].type, numbered
                )

        if table.primary_key:
            if len(table.primary_key.columns) == 1:
                add(table.primary_key.columns[0], True, 1.0)
        else:
            for key in keys[:2]:
                if len(key.columns) == 1 and key.confidence >= 0.25:
                    add(key.columns[0], True, key.confidence)
        for unique in table.unique:
            if len(unique.columns) == 1:
                add(unique.columns[0], False, 1.0)
        for index in table.indexes:
            if index.unique and len(index.parts) == 1 and index.parts[0].column and index.predicate is None:
                add(index.parts[0].column, False, 1.0)
        return list(found.values())

    def _learn(self) -> Habits:
        by_column: dict[str, Counter[int]] = defaultdict(Counter)
        referring, ways = set(), Counter[str]()
        for number, one in enumerate(self.names.tables):
            for key in one.table.foreign_keys:
                target = self.by_full.get(
                    (f"{key.ref_schema}.{key.ref_table}" if key.ref_schema else key.ref_table).lower()
                )
                for column in key.columns:
                    referring.add((number, column))
                if target is not None and len(key.columns) == 1:
                    by_column[key.columns[0].lower()][target] += 1
                    if key.columns[0] in one.columns:
                        ways[ending_of(stem_of(one.columns[key.columns[0]]))] += 1
        return Habits(dict(by_column), frozenset(referring), frozenset(number for number, _ in referring), ways)

    def referred(self, number: int) -> float:
        """Return how many columns seem to refer to a table, with their confidences added."""
        return self._trend.referred.get(number, 0.0) if self._trend is not None else 0.0

    def parts_of(self, target: Target) -> list[Place]:
        """Return the keys that seem to refer to this one, each all of its table's key."""
        if self._parts is None:
            self._parts = defaultdict(list)
            for number, targets in enumerate(self.targets):
                key = next((one.column for one in targets if one.primary), "")
                further = self.chosen(number).get(key)
                if further is not None and further.confidence >= _LIKELY:
                    table = self.names.tables[number].table
                    self._parts[further.target.table, further.target.column].append((table.schema, table.name, key))
        return self._parts[target.table, target.column]

    def chosen(self, number: int) -> dict[str, Choice]:
        """Return the likeliest choice of each column of a table that has one."""
        found = self._chosen.get(number)
        if found is None:
            found = self._chosen[number] = {column: made[0] for column, made in self.choices(number).items()}
        return found

    # the choices of one table's columns -----------------------------------------------------------------------------

    def look_at_all(self, report: Callable[[int, int], None]) -> None:
        """Weigh every column by itself first, then learn what the likely references have in common."""
        total = len(self.names.tables)
        by_column: dict[str, dict[int, float]] = defaultdict(lambda: defaultdict(float))
        votes: Counter[str] = Counter()
        likeliest: Counter[tuple[str, int]] = Counter()
        endings: Counter[str] = Counter()
        referred: dict[int, float] = defaultdict(float)
        for number in range(total):
            if number % 100 == 0:
                report(number, total)
            first = self._first_choices(number)
            made = self._made[number] = {
                column: [choice for choice in choices[:_KEPT] if choice.confidence >= _LEAST_KEPT]
                for column, choices in first.items()
                if choices[0].confidence >= _LEAST_KEPT
            }
            for column, choices in made.items():
                name = column.lower()
                votes[name] += 1
                likeliest[name, vote(number, choices[0])] += 1
                for choice in choices[:3]:
                    by_column[name][vote(number, choice)] += choice.confidence
                    referred[choice.target.table] += choice.confidence
                if choices[0].confidence >= _LIKELY:
                    endings[ending_of(stem_of(self.names.tables[number].columns[column]))] += 1
        whole = max(1, sum(endings.values()))
        usual = {ending: count / whole for ending, count in endings.items()}
        self._trend = Trend(dict(by_column), votes, likeliest, usual, dict(referred))

    def choices(self, number: int) -> dict[str, list[Choice]]:
        """Return for each column of a table that may refer to something the choices, the likeliest first."""
        if self._trend is None:
            self.look_at_all(lambda *_: None)
        trend = self._trend
        assert trend is not None
        found = {}
        for column, made in self._made[number].items():
            name = column.lower()
            others = trend.votes[name] - 1
            stem = stem_of(self.names.tables[number].columns[column])
            ending = trend.endings.get(ending_of(stem), 0.0)
            for choice in made:
                features = choice.features
                features["alone likely"] = math.log(max(choice.confidence, 1e-4) / max(1e-4, 1 - choice.confidence)) / 3
                features["ending is usual here"] = ending
                rest = trend.referred.get(choice.target.table, 0.0) - choice.confidence
                features["others refer there"] = math.log1p(max(0.0, rest)) / 3
                if others:
                    share = (trend.by_column[name][vote(number, choice)] - choice.confidence) / others
                    features["others of this name"] = share
                    features["others of this name differ"] = 1 - share
                    same = trend.likeliest[name, vote(number, choice)] - (choice is made[0])
                    features["likeliest of others of this name"] = same / others
            self._follow_on(number, made)
            found[column] = weigh(made, FOREIGN)
        return found

    def _follow_on(self, number: int, made: list[Choice]) -> None:
        """Mark keys that refer on themselves: what several tables share as their key is one of them, the others' parent."""
        for choice in made:
            further = self._made[choice.target.table].get(choice.target.column)
            if not further or further[0].target.table == number:
                continue
            choice.features["that key refers on"] = further[0].confidence
            for rival in made:
                if rival.target.table == further[0].target.table:
                    rival.features["a rival's key refers there"] = further[0].confidence
                    if self.signs.stand_there(number, choice) and self.signs.stand_there(number, rival):
                        text = self.signs.told_by_values(number, choice)
                        choice.features["data in the narrower"] = further[0].confidence * text

    def _first_choices(self, number: int) -> dict[str, list[Choice]]:
        """Return the choices of a table's columns, each weighed by itself."""
        named = self.names.tables[number]
        table = named.table
        indexed = {index.parts[0].column for index in table.indexes if index.parts and not index.unique}
        unique = {key.columns[0] for key in table.unique if len(key.columns) == 1}
        unique |= {i.parts[0].column for i in table.indexes if i.unique and len(i.parts) == 1}
        in_unique = {c for key in table.unique for c in key.columns}
        in_unique |= {part.column for i in table.indexes if i.unique for part in i.parts}
        primary = table.primary_key.columns if table.primary_key else ()
        own_keys = [target for target in self.targets[number] if target.primary]
        if not primary and own_keys:
            primary = (own_keys[0].column,)
        found = {}
        kinds = {
            words[:-1]
            for words in named.columns.values()
            if words[-1] in _KINDS and len(words) > 1 and not KEY_WORDS.issuperset(words[:-1])
        }
        for column in table.columns:
            if (number, column.name) in self.habits.referring or self.signs.family(column.type) not in _ABLE:
                continue
            stem = stem_of(named.columns[column.name])
            made = self._of_column(number, column, stem, own_key=primary == (column.name,))
            if not made:
                continue
            shared = {
                "indexed": column.name in indexed,
                "unique": column.name in unique and column.name not in primary,
                "in a unique key": column.name in in_unique and column.name not in unique,
                "the key itself": primary == (column.name,),
                "in the key": len(primary) > 1 and column.name in primary,
                "may be empty": column.nullable,
                "first column": column.position == 1,
                "numbers itself": numbers_itself(column),
                "text": self.signs.family(column.type) == "text",
                "has a default": column.default is not None and not column.default.upper().startswith("NULL"),
                "type column beside": bool(stem.key_words)
                and named.columns[column.name][-1] not in _KINDS
                and named.columns[column.name][:-1] in kinds,
                "speaks of its own table": bool(stem.words)
                and (
                    stem.words in named.aliases
                    or self.names.is_spelled_by(number, stem.words)
                    or (
                        primary == (column.name,)
                        and any(one[-len(stem.words) :] == stem.words for one in named.aliases)
                    )
                ),
                "measure word": named.columns[column.name][-1] in MEASURES,
                "rare name": self.signs.column_counts[column.name.lower()] == 1,
            }
            features = {name: 1.0 for name, holds in shared.items() if holds}
            if self.habits.ways:
                total = sum(self.habits.ways.values())
                features["habit of ending"] = self.habits.ways[ending_of(stem)] / total
                features["declares others"] = float(number in self.habits.tables)
            for choice in made:
                choice.features.update(features)
                if shared["type column beside"] and is_named(choice):
                    choice.features["type column beside"] = 0.0
                if shared["the key itself"] and not shared["speaks of its own table"] and is_named(choice):
                    choice.features["the key itself, named after that table"] = 1.0
            found[column.name] = weigh(made, ALONE)
        return found

    def _of_column(self, number: int, column: Column, stem: Stem, *, own_key: bool) -> list[Choice]:
        best: dict[tuple[int, str], Choice] = {}
        words = self.names.tables[number].columns[column.name]

        def add(target: Target, match: Match | None, **features: float) -> None:
            known = best.get((target.table, target.column))
            if known is not None:
                known.features.update(features)
                return
            if target.table == number and target.column == column.name:
                return
            if target.confidence < 1 and self.signs.joins_others(target.table):
                return
            if not self.signs.families_agree(column.type, target.type):
                if not (
                    self.signs.might_be_typed_so(column.type, target.type) and _is_plainly_named(match, stem, target)
                ):
                    return
                features = features | {UNLIKE: 1.0}
            best[target.table, target.column] = Choice(column.name, target, match, features)

        if stem.words:
            matches = list(self.matcher.matches(stem.words))
        elif ALWAYS_KEY_WORDS.issuperset(words):
            matches = []
        else:
            matches = [one for one in self.matcher.matches(words) if one.how == "name" and not one.extra + one.behind]
        matches = [*self.matcher.continuing(number, stem.words), *matches]
        named = {match.table for match in matches if is_strong(match)}
        for match in [*matches, *self.matcher.persons(words)]:
            context_words = (
                {} if match.how != "person" or named <= {match.table} else {"a person beside another's name": 1.0}
            )
            for target in self.targets[match.table]:
                if target.primary or match.how == "name" or stem.key_words == target.words[-1:]:
                    add(target, match, **context_words)
            if len(best) >= _MOST_CHOICES:
                break
        whole = self.names.tables[number].whole[column.name]
        if whole != words and stem_of(whole).words not in self.names.tables[number].aliases:
            for match in self.matcher.matches(stem_of(whole).words):
                if match.how == "name" and not match.extra and not match.behind:
                    for target in self.targets[match.table]:
                        if target.primary:
                            add(target, match, **{"named with what its columns share": 1.0})
        if not stem.key_words and len(words) > 1:
            for match in self.matcher.matches(words[:-1])[:_MOST_CHOICES]:
                for target in self.targets[match.table]:
                    if target.words[-1:] == words[-1:]:
                        add(target, match)
                        if found := best.get((target.table, target.column)):
                            found.features["key's last word"] = 1.0
                            if target.primary and match.how == "name" and not match.behind:
                                found.features["table's name and its key's"] = 1.0
                            if found.match is None or found.match.behind:
                                found.match = match
        if SELF_ROLES.intersection(words):
            roles = tuple(word for word in words if word in SELF_ROLES)
            for target in self.targets[number]:
                if target.primary:
                    add(target, Match(number, "self", 1.0, role=roles))
                    if found := best.get((number, target.column)):
                        rest = tuple(w for w in words if w not in SELF_ROLES and w not in KEY_WORDS)
                        if any(match.table != number and is_strong(match) for match in matches):
                            found.features["self role beside another's name"] = 1.0
                        else:
                            found.features["self role"] = 1.0
                        if not rest:
                            found.features["self role alone"] = 1.0
        if len(role := stem.words) == 1 and (others := self.matcher.other_end(role[0])):
            stems = (stem_of(words).words for words in self.names.tables[number].columns.values())
            if any(len(one) == 1 and one[0] in others for one in stems):
                for table in self.matcher.joined_by(number):
                    for target in self.targets[table]:
                        if target.primary:
                            add(target, Match(table, "end", 1.0, role=role), **{"one end of what joins rows": 1.0})
        for target in self.signs.by_key_name.get(column.name.lower(), ())[:_MOST_CHOICES]:
            if target.table != number:
                spelled = self.names.is_spelled_by(target.table, stem.words)
                add(target, Match(target.table, "name", 1.0) if spelled else None)
        for start in range(1, len(words)):
            for target in self._by_key_words.get(words[start:], ())[:8]:
                add(target, Match(target.table, "key", 1.0, start, role=words[:start]))
        own = self.names.tables[number].words
        if column.position == 1 and not stem.words and not numbers_itself(column):
            for end in range(len(own) - 1, 0, -1):
                for table in self.names.by_words.get("".join(own[:end]), ())[:3]:
                    for target in self.targets[table]:
                        if target.primary and target.column.lower() == column.name.lower() and table != number:
                            add(target, None, **{"goes on from that table": 1.0})
        full = self.names.tables[number].table.full_name.lower()
        for other, name in self._join_ends.get((full, column.name.lower()), ()):
            joined = self.by_full.get(other)
            if joined is not None:
                for target in self.targets[joined]:
                    if target.column.lower() == name:
                        add(target, None)
        if known := self.habits.by_column.get(column.name.lower()):
            for table, _ in known.most_common(3):
                for target in self.targets[table]:
                    add(target, None)
        own_table = self.names.tables[number].table
        for place in self._standing.get((own_table.schema, own_table.name, column.name), ()):
            for target in self._by_place.get(place, ()):
                if (target.table, target.column) not in best:
                    add(
                        target,
                        None,
                        **{"told by rows alone": 1.0, "rows alone, no key word": float(not stem.key_words)},
                    )
        made = list(best.values())
        self.signs.describe(number, column, stem, made, own_key=own_key)
        return made


def _standing(data: DataSaid) -> dict[Place, list[Place]]:
    """Return the columns whose sampled values all stand in a key, with those keys."""
    found: dict[Place, list[Place]] = defaultdict(list)
    for (schema, table, columns, ref_schema, ref_table, ref_columns), share in data.included.items():
        if share >= 1 and len(columns) == 1:
            found[schema, table, columns[0]].append((ref_schema, ref_table, ref_columns[0]))
    return found


def _is_plainly_named(match: Match | None, stem: Stem, target: Target) -> bool:
    """Say whether a column's name is a table's whole name and the word that its primary key ends with."""
    return (
        match is not None
        and match.how == "name"
        and match.sure == 1
        and target.primary
        and stem.key_words[-1:] == target.words[-1:]
    )
