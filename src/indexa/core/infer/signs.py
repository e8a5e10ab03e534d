"""What speaks for a choice of a column and against it: the signs of names, types, keys, joins, comments and rows."""

from __future__ import annotations

import math
import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence

import msgspec

from indexa.core import platforms
from indexa.core.infer.choice import Choice, Target, inexactness, is_named_after, is_strong, mean_the_same, speaks_of
from indexa.core.infer.data import DataSaid, Inclusion
from indexa.core.infer.joins import End
from indexa.core.infer.matching import MEASURES, PERSON_ROLES, PERSONS, SELF_ROLES, Matcher, Stem, stem_of
from indexa.core.infer.names import KEY_WORDS, SchemaNames
from indexa.core.model import Column

_LENGTH = re.compile(r"\((\d+)")
_REFERS = re.compile(r"\b(?:refers?|references?|foreign key|fk|points?|links?|reference|lookup|see)\b", re.I)
_NAMES = re.compile(r"[\w$#]{3,}")
_USERS = frozenset({"user", "usr"})
_COUNTING = frozenset("num nb max min count total sum avg".split())
"""First words of columns that hold how many there are of something."""
_ENOUGH_VALUES, _NEARLY, _HARDLY, _SPARSE = 100, 0.98, 0.05, 0.1
_SMALL = 4
"""Columns of a table that holds codes and what they mean."""
_SAME_TYPES = {
    "int": "integer", "int4": "integer", "serial": "integer", "serial4": "integer", "int8": "bigint", "bigserial": "bigint",
    "serial8": "bigint", "int2": "smallint", "smallserial": "smallint",
}  # fmt: skip
_KINDS_OF_TABLES = frozenset(
    "type code kind lookup list level status category enum definition def info data base master value level detail".split()
)
UNLIKE = "another kind of type"
"""The sign of a number that refers to a text, or the other way round, as in tables that were filled from files."""
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


class Signs:
    """Writes down the signs of choices, given the keys of a schema and what it declares."""

    def __init__(
        self,
        names: SchemaNames,
        matcher: Matcher,
        targets: Sequence[Sequence[Target]],
        habits: Habits,
        joins: Counter[tuple[End, End]],
        platform: str,
        data: DataSaid | None,
    ) -> None:
        self.names, self.matcher, self.targets, self.habits, self.joins = names, matcher, targets, habits, joins
        self._platform, self._data = platform, data
        self._families: dict[str, str] = {}
        self._joining: dict[int, bool] = {}
        self.by_key_name: dict[str, list[Target]] = defaultdict(list)
        """Targets by the name of their column, in small letters."""
        for made in targets:
            for target in made:
                self.by_key_name[target.column.lower()].append(target)
        self.column_counts = Counter(column.name.lower() for one in names.tables for column in one.table.columns)

    def describe(self, number: int, column: Column, stem: Stem, made: Sequence[Choice], *, own_key: bool) -> None:
        """Write down what speaks for each choice of a column, then what sets them apart."""
        message = _read(column.comment or column.remark or column.definition)
        for choice in made:
            self._describe(number, column, stem, message, choice)
        if self._data is not None:
            for choice in made:
                self._describe_data(number, column, choice, own_key)
            self._count_rivals_in_rows(number, made)
        self._compare(number, made)

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

    def _describe(self, number: int, column: Column, stem: Stem, said: Comment, choice: Choice) -> None:
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
            alike = self.by_key_name[column.name.lower()]
            if target.numbered:
                features["its values are made there"] = 1.0
            elif any(one.numbered for one in alike):
                features["its values are made elsewhere"] = 1.0
            if all(
                one.table in (number, target.table) or not one.primary for one in self.by_key_name[column.name.lower()]
            ):
                features["no other key has this name"] = 1.0
            if (
                target.primary
                and stem.key_words
                and (speaks or not self._speaks_of_others(target, stem))
                and sum(one.primary for one in self.by_key_name[column.name.lower()]) == 1
            ):
                features["the very name of one key"] = 1.0
            if not speaks and stem.words and stem.key_words:
                features["key's name, of something else"] = 1.0
            if not speaks:
                features["key's name, which many have"] = math.log(self.column_counts[column.name.lower()])
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
            if match.how == "beginning" and stem.key_words:
                begun = "".join(theirs.words[: len(theirs.words) - match.missing])
                alone = len(self.names.by_beginning.get(begun, ())) == 1 and begun not in self.names.by_ending
                if alone and begun not in self.names.by_words:
                    features["no other table begins so"] = 1.0
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
                "person: role inside": "by" not in match.role and stem.words[-1] not in PERSON_ROLES | PERSONS,
                "person: own table": target.table == number,
            }
            features.update((sign, 1.0) for sign, holds in signs.items() if holds)
        if match is not None and match.sure < 1:
            features["short form"] = 1.0
            features["unsure"] = 1 - match.sure
        rest = set(target.words) & KEY_WORDS
        if stem.key_words and match is not None and match.how in ("name", "ending", "beginning"):
            text = set(stem.key_words)
            features["key words agree" if rest & text or mean_the_same(rest, text) else "key words differ"] = 1.0
        self._describe_types(column, choice)
        if not target.primary:
            features["unique key"] = 1.0
            if any(one.primary for one in self.targets[target.table]):
                features["unique key beside a primary one"] = 1.0
        if stem.key_words and stem.key_words[-1:] == target.words[-1:]:
            features["ends as that key"] = 1.0
        if match is not None and own.words[: len(theirs.words)] == theirs.words and len(own.words) > len(theirs.words):
            features["goes on from that table's name"] = 1.0
        if self.joins_others(target.table):
            features["that table joins others"] = 1.0
            if match is not None and match.how in ("ending", "beginning"):
                features["a part of a name that joins others"] = 1.0
        if len(theirs.table.columns) <= _SMALL and not stem.key_words and is_named_after(choice):
            features["named after a small table"] = 1.0
        if stem.words and stem.words[0] in _COUNTING and not stem.key_words:
            features["counts"] = 1.0
        if target.confidence < 1:
            features["key unsure"] = 1 - target.confidence
        if target.table == number and (match is None or match.how != "person"):
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
            if column.name.lower() == target.column.lower():
                features["joined by one name"] = 1.0
        if said.words:
            if theirs.table.name.lower() in said.words:
                features["comment refers" if said.refers else "comment names"] = 1.0
            elif said.refers:
                features["comment refers elsewhere"] = 1.0
        if known := self.habits.by_column.get(column.name.lower()):
            features["declared elsewhere"] = known[target.table] / sum(known.values())
            if not known[target.table]:
                features["declared elsewhere to others"] = 1.0

    def joins_others(self, number: int) -> bool:
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
        elif self.family(column.type) == "text":
            choice.features["other length"] = 1.0
        else:
            choice.features["other type"] = 1.0

    def _describe_data(self, number: int, column: Column, choice: Choice, own_key: bool) -> None:
        assert self._data is not None
        share = self._share(number, choice)
        if share is None:
            return
        features, text = choice.features, self.told_by_values(number, choice)
        alone = ", rows alone" if "told by rows alone" in features else ""
        if share >= 1 and self.family(column.type) == "number":
            # Tables count their rows from one: the numbers of a small one stand in each larger one, and a key's do so anyway.
            if not own_key:
                features["numbers included" + alone] = 1.0
                features["many numbers included" + alone] = text
        elif share >= 1:
            features["data included" + alone] = 1.0
            features["many values included" + alone] = text
        elif share >= _NEARLY:
            features["data nearly included"] = 1.0
        else:
            features["data not included"] = 1.0

    def told_by_values(self, number: int, choice: Choice) -> float:
        """Return how much it tells that all values of a column stand in a key: few may do so by chance."""
        own = self.names.tables[number].table
        values = self._data.values.get((own.schema, own.name, choice.column), 0) if self._data is not None else 0
        return min(1.0, math.log(max(1, values)) / math.log(_ENOUGH_VALUES))

    def _share(self, number: int, choice: Choice) -> float | None:
        assert self._data is not None
        return self._data.included.get(self._question(number, choice))

    def _question(self, number: int, choice: Choice) -> Inclusion:
        own, theirs = self.names.tables[number].table, self.names.tables[choice.target.table].table
        return own.schema, own.name, (choice.column,), theirs.schema, theirs.name, (choice.target.column,)

    def stand_there(self, number: int, choice: Choice) -> bool:
        """Say whether rows were asked and all sampled values of a column stand in a key."""
        return self._data is not None and (self._share(number, choice) or 0) >= 1

    def _count_rivals_in_rows(self, number: int, made: Sequence[Choice]) -> None:
        """Mark how many keys hold all values of a column; of many, most do so because they count from one as well."""
        holding = [choice for choice in made if self.stand_there(number, choice)]
        for choice in holding:
            choice.features["others hold them too"] = math.log(len(holding))
            lies = self._data.ranged.get(self._question(number, choice)) if self._data is not None else None
            if lies is not None:
                text = self.told_by_values(number, choice)
                choice.features["higher numbers stand there"] = lies.beyond
                choice.features["the highest number there"] = float(lies.beyond < _HARDLY)
                choice.features["numbers there have gaps"] = text * min(1.0, -math.log(max(lies.filled, _SPARSE)))

    def family(self, type_name: str) -> str:
        found = self._families.get(type_name)
        if found is None:
            found = self._families[type_name] = platforms.family_of(self._platform, type_name)
        return found

    def might_be_typed_so(self, one: str, other: str) -> bool:
        """Say whether numbers or identifiers of one column may stand as texts in the other."""
        return {self.family(one), self.family(other)} in ({"number", "text"}, {"identifier", "text"})

    def families_agree(self, one: str, other: str) -> bool:
        """Say whether values of one type can refer to values of the other."""
        own_family, family = self.family(one), self.family(other)
        if own_family != family and "other" not in (own_family, family):
            return False
        return not (own_family == "other" == family and one.lower() != other.lower())


def _plain(type_name: str) -> str:
    name = type_name.lower()
    return _SAME_TYPES.get(name, name)
