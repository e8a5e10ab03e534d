"""Which side changed what: two states seen from the one that both come from."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, TypeAlias

from indexa.core.compare.comparing import compare
from indexa.core.compare.differences import Difference
from indexa.core.model import Model

Side: TypeAlias = Literal["model", "other", "both", ""]
_Place = tuple[str, str, str, str, str]


def sides(differences: Iterable[Difference], base: Model | None, other: Model, model: Model) -> dict[str, Side]:
    """Return by the id of each difference between the other state and the model who changed it since the base; "" where that
    is not known."""
    if base is None:
        return {}
    here, there = _places(base, model), _places(base, other)
    found: dict[str, Side] = {}
    for one in differences:
        place = _place(one)
        mine, theirs = place in here, place in there
        found[one.id] = "both" if mine and theirs else "other" if theirs else "model" if mine else ""
    return found


def _places(base: Model, state: Model) -> set[_Place]:
    return {_place(one) for one in compare(base, state).differences}


def _place(one: Difference) -> _Place:
    """Return what a difference is about, whatever it is: what is new from one side is gone from the other."""
    if one.kind in ("renamed", "moved"):
        # From one side a name came, from the other it went: both names together are the same from either.
        names = sorted(name.rpartition(".")[2] for name in (one.before, one.after))
        return one.what, one.schema, "" if one.what in ("table", "view") else one.table, " ".join(names), "name"
    whole = one.kind in ("new", "gone") or not one.field
    return one.what, one.schema, one.table, one.name if one.name != one.table else "", "" if whole else one.field
