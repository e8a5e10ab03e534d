"""One choice of a column: a key it may refer to, how it is named after it, and how likely it is beside the others."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

import msgspec

from indexa.core.infer.matching import Match, Stem
from indexa.core.infer.names import Words

_ITSELF, _OWN_KIND = -1, -2
_SAME_MEANING = (
    frozenset("id ident identifier identity key pk fk sk ref uid uuid guid oid idx seq sid".split()),
    frozenset({"no", "num", "nr", "nbr", "number", "nummer", "numero"}),
    frozenset({"code", "cod", "cd", "kod", "codigo"}),
)


class Target(msgspec.Struct, frozen=True):
    """A key of one column that others may refer to."""

    table: int
    column: str
    primary: bool
    confidence: float
    generic: bool
    """Its name says nothing of its table, as `id` does."""
    words: Words
    type: str
    numbered: bool = False
    """Whether the database gives out its values."""


class Choice(msgspec.Struct):
    """A column and a key it may refer to, with what speaks for it."""

    column: str
    target: Target
    match: Match | None
    features: dict[str, float]
    score: float = 0.0
    confidence: float = 0.0


def weigh(made: list[Choice], weights: Mapping[str, float]) -> list[Choice]:
    """Set the confidences of choices, which leave room for none, and return them with the likeliest first."""
    for choice in made:
        choice.score = sum(weights.get(name, 0.0) * value for name, value in choice.features.items())
    top = max(0.0, *(choice.score for choice in made))
    total = math.exp(-top) + sum(math.exp(choice.score - top) for choice in made)
    for choice in made:
        choice.confidence = math.exp(choice.score - top) / total
    return sorted(made, key=lambda choice: -choice.score)


def speaks_of(aliases: Iterable[Words], stem: Words) -> bool:
    """Say whether a stem is one of a table's names, the end of one, or ends with one."""
    return bool(stem) and any(
        stem == alias or stem == alias[-len(stem) :] or "".join(stem) == "".join(alias) or alias == stem[-len(alias) :]
        for alias in aliases
    )


def mean_the_same(one: set[str], other: set[str]) -> bool:
    """Say whether key words of two names say the same, as `id` and `key` do."""
    return any(one & group and other & group for group in _SAME_MEANING)


def is_strong(match: Match) -> bool:
    """Say whether a column has a table's whole name behind at most a role, or all but the first word of it."""
    return (match.how == "name" and not match.behind) or (
        match.how == "ending" and match.missing == 1 and not match.extra
    )


def is_named_after(choice: Choice) -> bool:
    """Say whether the column has a table's whole name, or with its own table's name before it."""
    match = choice.match
    if match is None or match.extra or match.behind:
        return False
    return match.how == "name" or "ending, rest in own name without key word" in choice.features


def is_named(choice: Choice) -> bool:
    """Say whether the column has the whole name of the table, or that of a key that speaks of its table."""
    return "key's name, of its table" in choice.features or (
        choice.match is not None
        and choice.match.how == "name"
        and choice.match.sure == 1
        and not choice.match.extra
        and not choice.match.behind
    )


def vote(number: int, choice: Choice) -> int:
    """Return what columns of one name have in common: the table, or that it is the own one or one named after the own."""
    if choice.target.table == number:
        return _ITSELF
    if choice.features.get("ending, rest in own name") or choice.features.get(
        "ending, rest in own name without key word"
    ):
        return _OWN_KIND
    return choice.target.table


def inexactness(choice: Choice) -> float:
    """Return how exactly a choice is named: 0 for the whole name or the key's own name, more for less."""
    if "key's name, of its table" in choice.features or "declared elsewhere" in choice.features:
        return 0
    match = choice.match
    if match is None:
        return 1
    if match.how == "name":
        exact = not match.extra and match.sure == 1
        return 0 if exact and not match.behind else 1 if not match.behind else 3
    return {"key": 1, "ending": 2, "self": 2}.get(match.how, 3) + min(match.missing, 9) / 10


def ending_of(stem: Stem) -> str:
    """Return the key words of a column and on which side they stand."""
    return ("<" if stem.leading else ">") + " ".join(stem.key_words)


def role_of(match: Match | None) -> str:
    """Word the role that a column's name gives the referred row; "" for none."""
    return " ".join(match.role) if match is not None else ""
