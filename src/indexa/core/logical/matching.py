"""Tables that may be what an entity of a logical model is already: matched by their names in words and by their columns.

The score of a pair is the mean of two likenesses between 0 and 1. That of names is Dice's coefficient of their words, each
weighed by how rare it is among all tables and entities (logarithm of the inverse share). That of columns is the weight of the
matched ones by that of all columns of the smaller side, where a column of a rare name weighs more and one of the same words but
another family of types counts half.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from math import log

import msgspec

LEAST = 0.5
"""Below it a pair is not proposed."""
_LEAST_COLUMNS = 0.3
_CANDIDATES = 12
_TOLD = 4
_COMMON = 200
"""A word in more names than these brings nobody together."""

Words = frozenset[str]


class ColumnShape(msgspec.Struct, frozen=True):
    """A column or attribute: its name in words, and the family of its type."""

    id: int
    name: str
    words: Words
    family: str


class Shape(msgspec.Struct, frozen=True):
    """A table or entity: its name in words, and its columns."""

    id: int
    name: str
    words: Words
    columns: tuple[ColumnShape, ...]


class Match(msgspec.Struct, frozen=True):
    """A table and the entity that it may be, with the columns and attributes that are the same, and why."""

    table: int
    entity: int
    confidence: float
    columns: tuple[tuple[int, int], ...]
    evidence: tuple[str, ...]


def match(tables: Sequence[Shape], entities: Sequence[Shape]) -> list[Match]:
    """Return the likeliest pairs, surest first; a table or entity stands in one of them at most."""
    weights = _Weights([*tables, *entities])
    by_word: defaultdict[str, list[Shape]] = defaultdict(list)
    for entity in entities:
        for word in entity.words | {f"column {' '.join(sorted(one.words))}" for one in entity.columns}:
            by_word[word].append(entity)
    pairs = []
    for table in tables:
        for entity in _candidates(table, by_word, weights):
            found = _compare(table, entity, weights)
            if found is not None:
                pairs.append(found)
    pairs.sort(key=lambda one: (-one.confidence, one.table, one.entity))
    taken: set[tuple[str, int]] = set()
    chosen = []
    for one in pairs:
        ends = {("table", one.table), ("entity", one.entity)}
        if not ends & taken:
            taken |= ends
            chosen.append(one)
    return chosen


class _Weights:
    """How much words tell: rare ones more than those that many names have."""

    def __init__(self, shapes: Sequence[Shape]) -> None:
        self._names = Counter(word for one in shapes for word in one.words)
        self._columns = Counter(column.words for one in shapes for column in one.columns)
        self._count = len(shapes) + 1

    def of_words(self, words: Iterable[str]) -> float:
        return sum(log(1 + self._count / max(1, self._names[word])) for word in words)

    def of_column(self, words: Words) -> float:
        return log(1 + self._count / max(1, self._columns[words]))


def _candidates(table: Shape, by_word: dict[str, list[Shape]], weights: _Weights) -> list[Shape]:
    scores: defaultdict[int, float] = defaultdict(float)
    found: dict[int, Shape] = {}
    for word in table.words:
        _add(by_word.get(word, ()), 2 * weights.of_words([word]), scores, found)
    for column in table.columns:
        _add(
            by_word.get(f"column {' '.join(sorted(column.words))}", ()), weights.of_column(column.words), scores, found
        )
    ranked = sorted(scores, key=lambda id_: (-scores[id_], id_))
    return [found[id_] for id_ in ranked[:_CANDIDATES]]


def _add(entities: Sequence[Shape], weight: float, scores: defaultdict[int, float], found: dict[int, Shape]) -> None:
    if len(entities) > _COMMON:
        return
    for entity in entities:
        scores[entity.id] += weight
        found[entity.id] = entity


def _compare(table: Shape, entity: Shape, weights: _Weights) -> Match | None:
    both = table.words & entity.words
    all_words = weights.of_words(table.words) + weights.of_words(entity.words)
    names = 2 * weights.of_words(both) / all_words if all_words else 0.0
    pairs = _same_columns(table, entity)
    total = min(
        sum(weights.of_column(one.words) for one in table.columns),
        sum(weights.of_column(one.words) for one in entity.columns),
    )
    same = sum(weights.of_column(own.words) * (1 if own.family == other.family else 0.5) for own, other in pairs)
    columns = min(1.0, same / total) if total else 0.0
    score = (names + columns) / 2
    if score < LEAST or columns < _LEAST_COLUMNS:
        return None
    return Match(
        table.id, entity.id, round(min(score, 0.99), 2), tuple((own.id, other.id) for own, other in pairs),
        tuple(_evidence(table, entity, sorted(both), pairs)),
    )  # fmt: skip


def _same_columns(table: Shape, entity: Shape) -> list[tuple[ColumnShape, ColumnShape]]:
    """Pair columns of the same words, those of the same family first; a word of the table's own name counts as left out."""
    pairs: list[tuple[ColumnShape, ColumnShape]] = []
    free = list(entity.columns)
    for left_out in (False, True):
        done = {own.id for own, _ in pairs}
        for own in table.columns:
            if own.id in done:
                continue
            words = _plain(own.words, table.words) if left_out else own.words
            fitting = [one for one in free if words == (_plain(one.words, entity.words) if left_out else one.words)]
            if fitting:
                best = min(fitting, key=lambda one: (one.family != own.family, one.id))
                free.remove(best)
                pairs.append((own, best))
    return pairs


def _plain(words: Words, of_table: Words) -> Words:
    return words - of_table or words


def _evidence(
    table: Shape, entity: Shape, both: Sequence[str], pairs: Sequence[tuple[ColumnShape, ColumnShape]]
) -> Iterable[str]:
    if both:
        yield f"both names have the word{'s' if len(both) > 1 else ''} {', '.join(both)}"
    told = ", ".join(f"`{own.name}` = `{other.name}`" for own, other in pairs[:_TOLD])
    more = f" and {len(pairs) - _TOLD} more" if len(pairs) > _TOLD else ""
    yield f"{len(pairs)} of its {len(table.columns)} columns are among {len(entity.columns)} attributes: {told}{more}"
    other_types = sum(own.family != other.family for own, other in pairs)
    if other_types:
        yield f"{other_types} of them {'has' if other_types == 1 else 'have'} another kind of type"
