"""What the rows of a source should be asked, in rounds: first what names suggest, then what the answers left open."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable, Iterator
from itertools import combinations

from indexa.core.infer.choice import Target
from indexa.core.infer.data import DataSaid, Inclusion, Place, Repeat, Uniqueness
from indexa.core.infer.key_signs import NOT_A_KEY, is_flag, measures, numbers_itself
from indexa.core.infer.keys import KeyChoice, told_unique
from indexa.core.infer.matching import MEASURES, stem_of
from indexa.core.infer.names import TableNames
from indexa.core.infer.proposing import Proposing, Tell
from indexa.core.infer.questions import Questions, Search
from indexa.core.infer.reference import Reference
from indexa.core.infer.repeated import holders, pairs
from indexa.core.infer.roles import references_of, roles
from indexa.core.infer.signs import UNLIKE
from indexa.core.infer.uniques import telling_columns
from indexa.core.model import Column, Model, Table
from indexa.core.naming.wordbook import Stack

ROUNDS = 3
SECONDS = 120
"""How long a source is asked, all rounds together."""
_LEAST, _LEAST_LATER = 0.03, 0.1
_CHOICES = 3
_LEAST_KEY, _KEYS = 0.01, 6
_LIKELY, _CERTAIN, _DECIDED = 0.2, 0.97, 0.9
_SETTLED = 0.5
"""A column that refers somewhere with this confidence is not searched for elsewhere."""
_MOST_PARTS, _MOST_TRIED = 3, 6
"""Of so many columns, in the order of the table, so many together are tried as a key where no likely one is left."""
_MOST_SEARCHED, _MOST_TARGETS, _TARGETS_AT_ONCE = 5_000, 200, 40


Ask = Callable[[Questions, float], DataSaid]
"""Puts questions to a source, for so many seconds at most."""


def ask_in_rounds(model: Model, stack: Stack | None, ask: Ask, report: Tell | None = None) -> DataSaid:
    """Ask what would make proposals surer or refute them, then what the answers left open, until nothing is or the time is up."""
    message, left = DataSaid(), float(SECONDS)
    seen: set[object] = set()
    for number in range(ROUNDS):
        if left <= 0:
            break
        asked = questions(model, stack, report, message if number else None).without(seen)
        if asked:
            began = time.monotonic()
            answers = ask(asked, left)
            left -= time.monotonic() - began
            message.add(answers)
        elif number:
            break
    return message


def questions(
    model: Model, stack: Stack | None = None, report: Tell | None = None, said: DataSaid | None = None
) -> Questions:
    """Return what to ask of a model's source before proposing; `said` is what it answered so far."""
    asking = _Asking(Proposing(model, stack, said, report), said)
    references = references_of(asking.proposing.weigher, asking.proposing.references())
    again = said is not None
    return Questions(
        unique=asking.unique(),
        included=asking.included(),
        indexed={place for table in model.tables for place in _led(table)},
        searched=list(asking.searched()) if again else [],
        ranged=list(asking.ranged()) if again else [],
        counted=asking.counted(references),
        repeated=asking.repeated(references),
        tried=list(asking.other_keys()) if again else [],
    )


class _Asking:
    def __init__(self, proposing: Proposing, said: DataSaid | None) -> None:
        self.proposing, self._names = proposing, proposing.names
        self._again = said is not None
        self._known = told_unique(said) if said is not None else {}

    def unique(self) -> list[Uniqueness]:
        found: list[tuple[float, Uniqueness]] = []
        for number, one in enumerate(self._names.tables):
            table = one.table
            if not table.primary_key:
                likely = dict(_keys(self.proposing.keys[number]))
                found += [
                    (how, (table.schema, table.name, columns))
                    for columns, how in likely.items()
                    if how >= _LEAST_LATER or not self._again
                ]
            for text, how, _ in telling_columns(self._names, number, self.proposing.key_of(number)):
                found.append((how, (table.schema, table.name, (text.name,))))
        found.sort(key=lambda one: -one[0])
        return [asked for _, asked in found]

    def other_keys(self) -> Iterator[Uniqueness]:
        """Yield columns that may be a table's key together, where rows refuted what names suggested: fewer of them first."""
        for number, one in enumerate(self._names.tables):
            made = self.proposing.keys[number]
            if not one.table.primary_key and not (made and made[0].confidence >= _DECIDED):
                for columns in self._combined(number):
                    yield one.table.schema, one.table.name, columns

    def _combined(self, number: int) -> Iterator[tuple[str, ...]]:
        one = self._names.tables[number]
        able = [
            column.name
            for column in one.table.columns
            if column.name in one.needed
            and not (NOT_A_KEY.match(column.type) or is_flag(one, column) or measures(one, column))
        ][:_MOST_TRIED]
        known = [set(columns) for columns in self._known.get((one.table.schema, one.table.name), ())]
        for count in range(1, _MOST_PARTS + 1):
            for columns in combinations(able, count):
                if not any(enough <= set(columns) for enough in known):
                    yield columns

    def included(self) -> list[Inclusion]:
        found: list[tuple[float, Inclusion]] = []
        least = _LEAST_LATER if self._again else _LEAST
        for number, one in enumerate(self._names.tables):
            own = one.table
            for column, made in self.proposing.weigher.choices(number).items():
                for choice in made[:_CHOICES]:
                    # A database may refuse to compare a number with a text.
                    if choice.confidence >= least and UNLIKE not in choice.features:
                        theirs = self._names.tables[choice.target.table].table
                        asked = (own.schema, own.name, (column,), theirs.schema, theirs.name, (choice.target.column,))
                        found.append((choice.confidence, asked))
            if self._again:
                found += ((_LIKELY, asked) for asked in self._narrower(number))
            for several in self.proposing.composites.choices(number):
                for composite in several[:_CHOICES]:
                    if composite.confidence >= least and "other type" not in composite.features:
                        theirs = self._names.tables[composite.target].table
                        together = (
                            own.schema,
                            own.name,
                            composite.columns,
                            theirs.schema,
                            theirs.name,
                            composite.ref_columns,
                        )
                        found.append((composite.confidence, together))
        found.sort(key=lambda one: -one[0])
        return [asked for _, asked in found]

    def _narrower(self, number: int) -> Iterator[Inclusion]:
        """Yield the tables whose key refers to one that a column refers to: it may refer to them instead."""
        own = self._names.tables[number].table
        weigher = self.proposing.weigher
        for column, choice in weigher.chosen(number).items():
            if choice.confidence < _SETTLED:
                continue
            for schema, table, key in weigher.parts_of(choice.target):
                if (schema, table) != (own.schema, own.name):
                    yield own.schema, own.name, (column,), schema, table, (key,)

    def ranged(self) -> Iterator[Inclusion]:
        """Yield the keys that hold all numbers of a column, where several do, or where nothing but that speaks for one."""
        for number, one in enumerate(self._names.tables):
            own = one.table
            types = {column.name: column.type for column in own.columns}
            for column, made in self.proposing.weigher.choices(number).items():
                holding = [one for one in made if self.proposing.weigher.signs.stand_there(number, one)]
                doubtful = len(holding) > 1 or any("told by rows alone" in one.features for one in holding)
                if doubtful and self.proposing.weigher.signs.family(types[column]) == "number":
                    for choice in holding:
                        theirs = self._names.tables[choice.target.table].table
                        yield own.schema, own.name, (column,), theirs.schema, theirs.name, (choice.target.column,)

    def searched(self) -> Iterator[Search]:
        """Yield columns that may refer somewhere, though their names don't say where; those that look most like it first."""
        weigher = self.proposing.weigher
        targets: dict[str, list[tuple[Target, Place]]] = defaultdict(list)
        for number, made in enumerate(weigher.targets):
            table = self._names.tables[number].table
            for target in made:
                targets[weigher.signs.family(target.type)].append((target, (table.schema, table.name, target.column)))
        text: list[tuple[bool, str, int, str]] = []
        for number, one in enumerate(self._names.tables):
            settled = {column for column, made in weigher.choices(number).items() if made[0].confidence >= _SETTLED}
            if len(key := self.proposing.key_of(number)) == 1:
                settled.add(key[0])
            for column in one.table.columns:
                kind = weigher.signs.family(column.type)
                if (
                    column.name in settled
                    or kind not in ("number", "text", "identifier", "binary")
                    or (number, column.name) in weigher.habits.referring
                    or not _may_refer(one, column)
                ):
                    continue
                keyed = bool(stem_of(one.columns[column.name]).key_words)
                text.append((not keyed, kind, number, column.name))
        nearest: dict[tuple[str, str], list[Place]] = {}
        for _, kind, number, name in sorted(text)[:_MOST_SEARCHED]:
            table = self._names.tables[number].table
            near = nearest.get((kind, table.schema))
            if near is None:
                by_nearness = sorted(
                    targets[kind], key=lambda found: (found[1][0] != table.schema, -weigher.referred(found[0].table))
                )
                near = nearest[kind, table.schema] = [place for _, place in by_nearness[:_MOST_TARGETS]]
            own = (table.schema, table.name, name)
            for begun in range(0, len(near), _TARGETS_AT_ONCE):
                yield Search(own, tuple(one for one in near[begun : begun + _TARGETS_AT_ONCE] if one != own))

    def repeated(self, references: dict[int, list[Reference]]) -> list[Repeat]:
        """Return the columns that may repeat others, the likeliest first; each once for a table that it may repeat."""
        held = holders(self._names)
        found = [pair for number, out in references.items() for pair in pairs(self._names, held, number, out)]
        found.sort(key=lambda pair: -pair.confidence * pair.reference.confidence)
        return [pair.question(self._names) for pair in found]

    def counted(self, references: dict[int, list[Reference]]) -> list[tuple[str, str]]:
        """Return the tables that look as those of codes do."""
        found = roles(self._names, self.proposing.keys, references, None)
        return [(one.schema, one.table) for one in found if one.kind == "code_table"]


def _may_refer(one: TableNames, column: Column) -> bool:
    """Say whether a column's values may be keys of another table: not what measures, dates, flags, or what the row numbers."""
    return not (
        numbers_itself(column)
        or is_flag(one, column)
        or measures(one, column)
        or one.columns[column.name][-1] in MEASURES
        or (column.default is not None and not column.default.upper().startswith("NULL"))
        or (NOT_A_KEY.match(column.type) and not column.type.lower().startswith("text"))
    )


def _keys(made: list[KeyChoice]) -> Iterator[tuple[tuple[str, ...], float]]:
    """Yield the columns that may be a table's key, and the parts of likely ones that might do alone, with how likely; of
    one column that is hardly in doubt only itself, as time for questions is bounded."""
    if made and made[0].confidence >= _CERTAIN and len(made[0].columns) == 1:
        yield made[0].columns, made[0].confidence
        return
    for key in made[:_KEYS]:
        if len(key.columns) > 1 and key.confidence >= _LIKELY:
            yield from (((column,), key.confidence) for column in key.columns)
    for key in made[:_KEYS]:
        if key.confidence >= _LEAST_KEY:
            yield key.columns, key.confidence


def _led(table: Table) -> Iterator[Place]:
    leading = [table.primary_key.columns[0]] if table.primary_key else []
    leading += [key.columns[0] for key in table.unique]
    leading += [index.parts[0].column for index in table.indexes if index.parts and index.method == "btree"]
    for column in leading:
        if column:
            yield table.schema, table.name, column
