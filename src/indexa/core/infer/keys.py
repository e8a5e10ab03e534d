"""Primary keys that are not declared: which columns of a table would be its key, and how likely each choice is."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping

import msgspec

from indexa.core.infer.data import DataSaid
from indexa.core.infer.key_signs import (
    NOT_A_KEY,
    SURE_SIGNS,
    Found,
    composite,
    counts_within,
    has_its_value_beside,
    is_flag,
    is_long,
    is_made_of_others,
    numbers_itself,
    single,
    speaks_of_itself,
    tell_from_copies,
    tell_from_indexes,
    tell_from_others,
    tell_from_rows,
    tell_of_spans_and_lines,
    tell_own,
)
from indexa.core.infer.matching import Matcher
from indexa.core.infer.names import SchemaNames, TableNames
from indexa.core.infer.surroundings import Surroundings
from indexa.core.infer.weights import PRIMARY, PRIMARY_ALONE

_MOST_COMPOSITE = 6
_LIKELY = 0.6
_FIRST_SPEAKS = {"speaks of another", "the first speaks of another"}


class KeyChoice(msgspec.Struct):
    """One choice of columns for a table's primary key, with what speaks for it."""

    columns: tuple[str, ...]
    features: dict[str, float]
    confidence: float = 0.0


def all_choices(
    names: SchemaNames, matcher: Matcher, data: DataSaid | None = None, report: Callable[[int, int], None] | None = None
) -> list[list[KeyChoice]]:
    """Return for each table the choices for its primary key, the likeliest first; their confidences leave room for none.

    Weighed twice: each table by itself, then with what the likely keys of the schema have in common.
    """
    found = []
    around = Surroundings(names, matcher)
    unique = told_unique(data) if data is not None else {}
    for number in range(len(names.tables)):
        if report is not None and number % 200 == 0:
            report(number, len(names.tables))
        table = names.tables[number].table
        found.append(choices_alone(names, around, number, data, unique.get((table.schema, table.name), ())))
    firsts = [one[0] for one in found if one and one[0].confidence >= _LIKELY]
    habit = _habit(firsts)
    habit_of_speaking = _habit([one for one in firsts if one.features.keys() & _FIRST_SPEAKS])
    habit_of_links, links = _habit_of_links(names, around, found)
    for number, made in enumerate(found):
        for choice in made:
            if number in links:
                kind = "composite" if len(choice.columns) > 1 else "single"
                choice.features[f"habit of links, {kind}"] = habit_of_links
            choice.features["alone likely"] = (
                math.log(max(choice.confidence, 1e-4) / max(1e-4, 1 - choice.confidence)) / 3
            )
            if len(choice.columns) > 1 or "position 1" in choice.features:
                kind = "composite" if len(choice.columns) > 1 else "first"
                choice.features[f"habit, {kind}"] = habit
                if choice.features.keys() & _FIRST_SPEAKS:
                    choice.features[f"habit of what refers, {kind}"] = habit_of_speaking
        _weigh(made, PRIMARY)
    return found


def told_unique(data: DataSaid) -> dict[tuple[str, str], list[tuple[str, ...]]]:
    """Return for each table, by schema and name, the columns that no sampled rows share."""
    found: dict[tuple[str, str], list[tuple[str, ...]]] = defaultdict(list)
    for (schema, table, columns), rows in data.unique.items():
        if rows:
            found[schema, table].append(columns)
    return found


def _habit(firsts: list[KeyChoice]) -> float:
    """Return how usual keys of one column are among likely ones, against those of several; from -1 to 1."""
    several = sum(len(one.columns) > 1 for one in firsts)
    odds = math.log((len(firsts) - several + 1) / (several + 1))
    return max(-1.0, min(1.0, odds / 3))


def _habit_of_links(names: SchemaNames, around: Surroundings, found: list[list[KeyChoice]]) -> tuple[float, set[int]]:
    """Return how usual it is that what joins two tables has a number of its own, from -1 to 1; and the tables that seem
    to join two and have none."""
    own, none = 0, set()
    for number, made in enumerate(found):
        referring = around.speaking[number]
        named = names.tables[number]
        needed = [name for name in named.columns if name in named.needed]
        if any(SURE_SIGNS & one.features.keys() for one in made):
            own += sum(referring[name] for name in needed[1:4]) > 1
        elif len(needed) > 1 and referring[needed[0]] and referring[needed[1]]:
            none.add(number)
    return max(-1.0, min(1.0, math.log((own + 1) / (len(none) + 1)) / 3)), none


def choices_alone(
    names: SchemaNames,
    around: Surroundings,
    number: int,
    data: DataSaid | None = None,
    unique: Iterable[tuple[str, ...]] = (),
) -> list[KeyChoice]:
    """Return the choices for the primary key of a table, weighed by itself; `unique` are columns that rows hold once."""
    named = names.tables[number]
    table = named.table
    referring = around.speaking[number]
    own = {column.name: speaks_of_itself(names, named, column.name) for column in table.columns}
    long = frozenset(column.name for column in table.columns if is_long(column.type, names))
    found: Found = {}
    for column in table.columns:
        features = single(named, column, table, own[column.name], referring)
        if features is not None:
            if column.name in long:
                features["a long text"] = 1.0
            if any(referring.values()) and has_its_value_beside(named, column.name):
                features["has its value beside"] = 1.0
            found[column.name,] = features
    known_sets = {frozenset(columns) for columns in found}
    for columns in unique:
        if frozenset(columns) not in known_sets:
            found[columns] = composite(named, columns, referring, long) if len(columns) > 1 else {"single": 1.0}
            found[columns]["told by rows alone"] = 1.0
    made_of_others = {column.name for column in table.columns[:2] if is_made_of_others(named, column.name)}
    edition = around.edition(number)
    for columns in _composites(named, referring, edition):
        found.setdefault(columns, composite(named, columns, referring, long))
    for columns, one in found.items():
        if len(columns) == 1:
            if columns[0] in made_of_others:
                one["made of the names beside it"] = 1.0
            continue
        tell_own(one, named, columns, own, edition)
        if not made_of_others.isdisjoint(columns):
            one["holds what is made of the names beside"] = 1.0
    text = {name for name in named.columns if has_its_value_beside(named, name)}
    for columns, one in found.items():
        if any(referring[name] for name in columns) and text and text.isdisjoint(columns):
            one["leaves out what has its value beside"] = 1.0
    sure = {columns[0] for columns, one in found.items() if len(columns) == 1 and SURE_SIGNS & one.keys()}
    known = {name for name in sure if "may be empty" not in found[name,]}
    for columns, words in _declared_unique(named):
        features = found.setdefault(
            columns, composite(named, columns, referring, long) if len(columns) > 1 else {"single": 1.0}
        )
        # What is unique beside an id was declared because it is not the primary key.
        if known.issubset(columns):
            features[words] = 1.0
    tell_from_others(found, named, around, number)
    tell_from_copies(found, edition)
    tell_of_spans_and_lines(found, named, referring)
    tell_from_indexes(found, table)
    numbered = {column.name for column in table.columns if numbers_itself(column)}
    for columns, one in found.items():
        if sure and sure.isdisjoint(columns):
            one["beside a sure one"] = 1.0
        elif len(columns) > 1 and not numbered.isdisjoint(columns):
            one["holds what numbers itself"] = 1.0
    if data is not None:
        tell_from_rows(found, table, data)
    made = [KeyChoice(columns, features) for columns, features in found.items()]
    _weigh(made, PRIMARY_ALONE)
    return made


def _weigh(made: list[KeyChoice], weights: Mapping[str, float]) -> None:
    """Set the confidences of choices and put the likeliest first."""
    scores = [sum(weights.get(name, 0.0) * value for name, value in one.features.items()) for one in made]
    top = max([0.0, *scores])
    total = math.exp(-top) + sum(math.exp(score - top) for score in scores)
    for choice, score in zip(made, scores, strict=True):
        choice.confidence = math.exp(score - top) / total
    made.sort(key=lambda one: -one.confidence)


def _declared_unique(named: TableNames) -> list[tuple[tuple[str, ...], str]]:
    found = [(key.columns, "unique key") for key in named.table.unique]
    for index in named.table.indexes:
        columns = tuple(part.column for part in index.parts)
        if index.unique and index.predicate is None and all(columns):
            found.append((columns, "unique index"))
    return [(columns, how) for columns, how in found if columns and named.needed.issuperset(columns)]


def _composites(named: TableNames, referring: dict[str, bool], edition: str) -> list[tuple[str, ...]]:
    """Return the rows of columns that could be a key together: from the first on, and all that refer to other tables."""
    table = named.table
    able = [
        column for column in table.columns if not NOT_A_KEY.match(column.type) or column.type.lower().startswith("text")
    ]
    firsts: list[str] = []
    found: list[tuple[str, ...]] = []
    for column in table.columns[:_MOST_COMPOSITE]:
        if column.name not in named.needed and table.columns[0].name in named.needed:
            break
        if numbers_itself(column) or (len(firsts) > 1 and is_flag(named, column)):
            break
        firsts.append(column.name)
        if len(firsts) > 1:
            found.append(tuple(firsts))
    needed = [column.name for column in table.columns[:_MOST_COMPOSITE] if column.name in named.needed]
    if needed:
        found += [(needed[0], other) for other in needed[2:]]
    both = tuple(column.name for column in able if referring[column.name])
    if 2 <= len(both) <= _MOST_COMPOSITE:
        found.append(both)
        for column in able:
            if column.name not in both and column.name in named.needed and counts_within(named.columns[column.name]):
                in_order = tuple(one.name for one in able if one.name in both or one is column)
                found.append(in_order)
    counting = [
        c.name for c in able if c.name in named.needed and c.name not in both and counts_within(named.columns[c.name])
    ]
    if both and len(counting) > 1 and len(both) + len(counting) <= _MOST_COMPOSITE:
        found.append(tuple(one.name for one in able if one.name in both[:1] or one.name in counting))
        found.append(tuple(one.name for one in able if one.name in both or one.name in counting))
    if len(both) == 1:
        for column in able:
            if column.name not in both and column.name in named.needed and counts_within(named.columns[column.name]):
                found.append(tuple(one.name for one in able if one.name in both or one is column))
    if edition:
        first = table.columns[0].name
        if first != edition:
            found.append((first, edition))
        counting = [c.name for c in able if c.name in named.needed and counts_within(named.columns[c.name])]
        for begun in (both, both[:1] or needed[:1]):
            parts = {*begun, edition, *counting}
            if 2 < len(parts) <= _MOST_COMPOSITE:
                found.append(tuple(one.name for one in able if one.name in parts))
    return list(dict.fromkeys(found))
