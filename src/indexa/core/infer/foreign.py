"""Which column refers to which table: the choices of each column, weighed against each other and against none."""

from __future__ import annotations

import math
import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable

import msgspec

from indexa.core import platforms
from indexa.core.infer.choice import (
    Choice,
    Target,
    ending_of,
    inexactness,
    is_named,
    is_named_after,
    is_strong,
    mean_the_same,
    speaks_of,
    vote,
    weigh,
)  # fmt: skip
from indexa.core.infer.data import DataSaid
from indexa.core.infer.joins import End
from indexa.core.infer.keys import KeyChoice, numbers_itself
from indexa.core.infer.matching import MEASURES, PERSON_ROLES, PERSONS, SELF_ROLES, Match, Matcher, Stem, stem_of
from indexa.core.infer.names import ALWAYS_KEY_WORDS, KEY_WORDS, SchemaNames, Words
from indexa.core.infer.weights import ALONE, FOREIGN
from indexa.core.model import Column

_ABLE = frozenset({"number", "text", "identifier", "binary", "other"})
_GENERIC = frozenset(
    "id code key name no num nr number uuid guid oid uid pk type date description title value status".split()
)
_LENGTH = re.compile(r"\((\d+)")
_REFERS = re.compile(r"\b(?:refers?|references?|foreign key|fk|points?|links?|reference|lookup|see)\b", re.I)
_NAMES = re.compile(r"[\w$#]{3,}")
_USERS = frozenset({"user", "usr"})
_MOST_CHOICES = 10
_KEPT = 4
"""How many choices of a column are weighed a second time."""
_LEAST_KEPT = 0.01
_SMALL = 4
"""Columns of a table that holds codes and what they mean."""
_SAME_TYPES = {
    "int": "integer", "int4": "integer", "serial": "integer", "serial4": "integer", "int8": "bigint", "bigserial": "bigint",
    "serial8": "bigint", "int2": "smallint", "smallserial": "smallint",
}  # fmt: skip
_KINDS_OF_TABLES = frozenset(
    "type code kind lookup list level status category enum definition def info data base master value level detail".split()
)
_KINDS = frozenset("type kind class".split())
UNLIKE = "another kind of type"
"""The sign of a number that refers to a text, or the other way round, as in tables that were filled from files."""
_LEAST_LETTERS = 3
"""How many letters a key's name has at least, if a role and this one word are to name it."""
_LIKELY = 0.6
_ROLES = frozenset(
    "from to source target src dst dest destination origin start end first last old new default main primary secondary "
    "billing shipping bill ship home work current original final left right alternate alt local remote home away "
    "sold invoice delivery mailing base quote debit credit in out".split()
)


class Comment(msgspec.Struct):
    """The words of a column's comment, and whether it speaks of referring."""

    words: frozenset[str] = frozenset()
    refers: bool = False


def _read(comment: str) -> Comment:
    if not comment:
        return Comment()
    return Comment(frozenset(_NAMES.findall(comment.lower())), bool(_REFERS.search(comment)))


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


class Habits(msgspec.Struct):
    """What the keys that a schema does declare tell of its names."""

    by_column: dict[str, Counter[int]]
    """Column name in small letters → tables that columns of this name refer to."""
    referring: frozenset[tuple[int, str]]
    """Columns that are in a declared foreign key."""
    tables: frozenset[int]
    """Tables with a declared foreign key."""
    ways: Counter[str]
    """How often declared keys name their target in each way."""


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
        self.names, self.matcher, self.joins, self._data = names, matcher, joins, data
        self._platform = platform
        self._families: dict[str, str] = {}
        self._joining: dict[int, bool] = {}
        self.numbers = {id(one.table): number for number, one in enumerate(names.tables)}
        self.by_full = {one.table.full_name.lower(): number for number, one in enumerate(names.tables)}
        self.targets: list[list[Target]] = [self._targets(number, keys[number]) for number in range(len(names.tables))]
        self._by_key_name: dict[str, list[Target]] = defaultdict(list)
        self._by_key_words: dict[Words, list[Target]] = defaultdict(list)
        for targets in self.targets:
            for target in targets:
                self._by_key_name[target.column.lower()].append(target)
                if not target.generic and (len(target.words) > 1 or len(target.words[0]) >= _LEAST_LETTERS):
                    self._by_key_words[target.words].append(target)
        self._join_ends: dict[End, list[End]] = defaultdict(list)
        for left, right in joins:
            self._join_ends[left].append(right)
        self._chosen: dict[int, dict[str, Choice]] = {}
        self._made: dict[int, dict[str, list[Choice]]] = {}
        self._comment = Comment()
        self._trend: Trend | None = None
        self.habits = self._learn()
        self._column_counts = Counter(column.name.lower() for one in names.tables for column in one.table.columns)

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

    def chosen(self, number: int) -> dict[str, Choice]:
        """Return the likeliest choice of each column of a table that has one."""
        found = self._chosen.get(number)
        if found is None:
            found = self._chosen[number] = {column: made[0] for column, made in self.choices(number).items()}
        return found

    # the choices of one table's columns -----------------------------------------------------------------------------

    def look_at_all(self, tell: Callable[[int, int], None]) -> None:
        """Weigh every column by itself first, then learn what the likely references have in common."""
        total = len(self.names.tables)
        by_column: dict[str, dict[int, float]] = defaultdict(lambda: defaultdict(float))
        votes: Counter[str] = Counter()
        likeliest: Counter[tuple[str, int]] = Counter()
        endings: Counter[str] = Counter()
        referred: dict[int, float] = defaultdict(float)
        for number in range(total):
            if number % 100 == 0:
                tell(number, total)
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
            if (number, column.name) in self.habits.referring or self._family(column.type) not in _ABLE:
                continue
            stem = stem_of(named.columns[column.name])
            made = self._of_column(number, column, stem)
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
                "text": self._family(column.type) == "text",
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
                "rare name": self._column_counts[column.name.lower()] == 1,
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

    def _of_column(self, number: int, column: Column, stem: Stem) -> list[Choice]:
        best: dict[tuple[int, str], Choice] = {}
        words = self.names.tables[number].columns[column.name]

        def add(target: Target, match: Match | None, **features: float) -> None:
            known = best.get((target.table, target.column))
            if known is not None:
                known.features.update(features)
                return
            if target.table == number and target.column == column.name:
                return
            if target.confidence < 1 and self._joins_others(target.table):
                return
            if not self.families_agree(column.type, target.type):
                if not (self._might_be_typed_so(column.type, target.type) and _is_plainly_named(match, stem, target)):
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
        for match in [*matches, *self.matcher.persons(words)]:
            for target in self.targets[match.table]:
                if target.primary or match.how == "name" or stem.key_words == target.words[-1:]:
                    add(target, match)
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
        for target in self._by_key_name.get(column.name.lower(), ())[:_MOST_CHOICES]:
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
        self._comment = _read(column.comment or column.remark or column.definition)
        for choice in best.values():
            self._describe(number, column, stem, choice)
        self._compare(number, best.values())
        return list(best.values())

    def _key_speaks(self, target: Target) -> bool:
        """Say whether a key's name tells the table it is of."""
        words = stem_of(target.words).words
        return speaks_of(self.names.tables[target.table].aliases, words) or self.names.is_spelled_by(
            target.table, words
        )

    def _speaks_of_others(self, target: Target, stem: Stem) -> bool:
        """Say whether a name tells another table than the one of a key."""
        return any(is_strong(match) for match in self.matcher.matches(stem.words) if match.table != target.table)

    def _begins_alike(self, number: int, choice: Choice) -> bool:
        own, theirs = self.names.tables[number], self.names.tables[choice.target.table]
        return (*own.marks, *own.words)[0] == (*theirs.marks, *theirs.words)[0]

    def _compare(self, number: int, made: Iterable[Choice]) -> None:
        """Mark the choices beside which another one is named more exactly."""
        grades = [(inexactness(choice), choice) for choice in made]
        best = min((grade for grade, _ in grades), default=0)
        begun = [self._begins_alike(number, choice) for _, choice in grades]
        if any(begun) and not all(begun):
            for alike, (_, choice) in zip(begun, grades, strict=True):
                choice.features["tables begin alike" if alike else "a rival's table begins alike"] = 1.0
        schema = self.names.tables[number].table.schema
        near = [self.names.tables[choice.target.table].table.schema == schema for _, choice in grades]
        if any(near) and not all(near):
            for own, (_, choice) in zip(near, grades, strict=True):
                choice.features["in its own schema" if own else "a rival is in its own schema"] = 1.0
        for grade, choice in grades:
            if grade > best:
                choice.features["better named rival"] = 1.0
            elif sum(other == best for other, _ in grades) > 1:
                choice.features["equally named rival"] = 1.0

    def _describe(self, number: int, column: Column, stem: Stem, choice: Choice) -> None:
        """Write down what speaks for a choice."""
        features, target, match = choice.features, choice.target, choice.match
        own, theirs = self.names.tables[number], self.names.tables[target.table]
        features["any"] = 1.0
        same = column.name.lower() == target.column.lower()
        if same and not target.generic:
            speaks = self._key_speaks(target)
            features["key's name, of its table" if speaks else "key's name"] = 1.0
            if not target.primary:
                features["key's name, of a unique key"] = 1.0
            alike = self._by_key_name[column.name.lower()]
            if target.numbered:
                features["its values are made there"] = 1.0
            elif any(one.numbered for one in alike):
                features["its values are made elsewhere"] = 1.0
            if all(
                one.table in (number, target.table) or not one.primary for one in self._by_key_name[column.name.lower()]
            ):
                features["no other key has this name"] = 1.0
            if (
                target.primary
                and stem.key_words
                and (speaks or not self._speaks_of_others(target, stem))
                and sum(one.primary for one in self._by_key_name[column.name.lower()]) == 1
            ):
                features["the very name of one key"] = 1.0
            if not speaks and stem.words and stem.key_words:
                features["key's name, of something else"] = 1.0
            if not speaks:
                features["key's name, which many have"] = math.log(self._column_counts[column.name.lower()])
        elif same:
            features["key's name, which says nothing"] = 1.0
        if match is None:
            pass
        elif match.how == "key":
            features["role and key's name"] = 1.0
        elif match.how == "name":
            way = "behind" if match.behind else "role" if match.extra else "whole"
            if match.behind and MEASURES.intersection(stem.words[-match.behind :]):
                features["measure behind"] = 1.0
            ending = "" if stem.key_words else " without key word"
            features[f"name {way}{ending}"] = 1.0
            if match.extra and set(match.role) & (SELF_ROLES | PERSON_ROLES | _ROLES):
                features["known role"] = 1.0
            if match.extra > 1:
                features["long role"] = float(match.extra - 1)
        elif match.how in ("ending", "beginning"):
            missing = theirs.words[: match.missing] if match.how == "ending" else theirs.words[-match.missing :]
            near = set(own.words) | set(own.marks)
            ending = "" if stem.key_words else " without key word"
            if near.issuperset(missing):
                features[f"{match.how}, rest in own name{ending}"] = 1.0
            elif match.how == "ending" and missing[0] in self.names.module_words and match.missing == 1:
                features[f"ending, rest a module{ending}"] = 1.0
                if own.words[:1] == missing:
                    features["same module"] = 1.0
            else:
                features[f"{match.how}{ending}"] = 1.0
            if match.how == "ending" and len(self.names.by_ending.get("".join(theirs.words[match.missing :]), ())) == 1:
                features["no other table ends so"] = 1.0
            elif match.how == "beginning" and _KINDS_OF_TABLES.issuperset(missing):
                features["the rest says what kind of table"] = 1.0
            if match.extra:
                features["part and role"] = 1.0
            if match.missing > 1:
                features["much missing"] = float(match.missing - 1)
        elif match.how == "person":
            features["person's role"] = 1.0
            signs = {
                "by": "by" in match.role,
                "person: user": not _USERS.isdisjoint(theirs.words),
                "person: one word": len(theirs.words) == 1,
                "person: last word": theirs.words[-1] in PERSONS,
                "person: key word": bool(stem.key_words),
            }
            features.update((sign, 1.0) for sign, holds in signs.items() if holds)
        if match is not None and match.sure < 1:
            features["short form"] = 1.0
            features["unsure"] = 1 - match.sure
        rest = set(target.words) & KEY_WORDS
        if stem.key_words and match is not None and match.how in ("name", "ending", "beginning"):
            told = set(stem.key_words)
            features["key words agree" if rest & told or mean_the_same(rest, told) else "key words differ"] = 1.0
        self._describe_types(column, choice)
        if not target.primary:
            features["unique key"] = 1.0
            if any(one.primary for one in self.targets[target.table]):
                features["unique key beside a primary one"] = 1.0
        if stem.key_words and stem.key_words[-1:] == target.words[-1:]:
            features["ends as that key"] = 1.0
        if match is not None and own.words[: len(theirs.words)] == theirs.words and len(own.words) > len(theirs.words):
            features["goes on from that table's name"] = 1.0
        if self._joins_others(target.table):
            features["that table joins others"] = 1.0
        if len(theirs.table.columns) <= _SMALL and not stem.key_words and is_named_after(choice):
            features["named after a small table"] = 1.0
        if target.confidence < 1:
            features["key unsure"] = 1 - target.confidence
        if target.table == number:
            features["same table"] = 1.0
        if own.table.schema != theirs.table.schema:
            features["other schema"] = 1.0
        if match is not None and match.role and set(match.role) & set(self.names.words(theirs.table.schema)):
            features["its role is that schema's name"] = 1.0
        joins = self.joins.get(
            (
                (own.table.full_name.lower(), column.name.lower()),
                (theirs.table.full_name.lower(), target.column.lower()),
            ),
            0,
        )
        if joins:
            features["joined"] = 1.0
            if joins > 1:
                features["joined often"] = 1.0
        said = self._comment
        if said.words:
            if theirs.table.name.lower() in said.words:
                features["comment refers" if said.refers else "comment names"] = 1.0
            elif said.refers:
                features["comment refers elsewhere"] = 1.0
        if known := self.habits.by_column.get(column.name.lower()):
            features["declared elsewhere"] = known[target.table] / sum(known.values())
            if not known[target.table]:
                features["declared elsewhere to others"] = 1.0
        if self._data is not None:
            self._describe_data(number, column, choice)

    def _joins_others(self, number: int) -> bool:
        """Say whether a table holds hardly more than columns that name other tables."""
        known = self._joining.get(number)
        if known is None:
            named = self.names.tables[number]
            count = 0
            for words in named.columns.values():
                stem = stem_of(words)
                if stem.key_words and stem.words:
                    count += any(
                        one.table != number and one.how in ("name", "ending")
                        for one in self.matcher.matches(stem.words)
                    )
            known = self._joining[number] = count >= 2 and count + 2 >= len(named.columns)
        return known

    def _describe_types(self, column: Column, choice: Choice) -> None:
        if UNLIKE in choice.features:
            return
        if _plain(column.type) == _plain(choice.target.type):
            choice.features["same type"] = 1.0
            if _LENGTH.search(column.type):
                choice.features["same length"] = 1.0
        elif self._family(column.type) == "text":
            choice.features["other length"] = 1.0
        else:
            choice.features["other type"] = 1.0

    def _describe_data(self, number: int, column: Column, choice: Choice) -> None:
        assert self._data is not None
        own, theirs = self.names.tables[number].table, self.names.tables[choice.target.table].table
        share = self._data.included.get(
            (own.schema, own.name, column.name, theirs.schema, theirs.name, choice.target.column)
        )
        if share is None:
            return
        if share >= 1:
            choice.features["data included"] = 1.0
        elif share >= 0.98:
            choice.features["data nearly included"] = 1.0
        else:
            choice.features["data not included"] = 1.0

    def _family(self, type_name: str) -> str:
        found = self._families.get(type_name)
        if found is None:
            found = self._families[type_name] = platforms.family_of(self._platform, type_name)
        return found

    def _might_be_typed_so(self, one: str, other: str) -> bool:
        """Say whether numbers or identifiers of one column may stand as texts in the other."""
        return {self._family(one), self._family(other)} in ({"number", "text"}, {"identifier", "text"})

    def families_agree(self, one: str, other: str) -> bool:
        """Say whether values of one type can refer to values of the other."""
        own_family, family = self._family(one), self._family(other)
        if own_family != family and "other" not in (own_family, family):
            return False
        return not (own_family == "other" == family and one.lower() != other.lower())


def _is_plainly_named(match: Match | None, stem: Stem, target: Target) -> bool:
    """Say whether a column's name is a table's whole name and the word that its primary key ends with."""
    return (
        match is not None
        and match.how == "name"
        and match.sure == 1
        and target.primary
        and stem.key_words[-1:] == target.words[-1:]
    )


def _plain(type_name: str) -> str:
    name = type_name.lower()
    return _SAME_TYPES.get(name, name)
