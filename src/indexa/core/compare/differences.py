"""One difference between two states, with where it is, both values, and what it can not go without."""

from __future__ import annotations

from typing import Literal, TypeAlias

import msgspec

Kind: TypeAlias = Literal["new", "changed", "gone", "renamed", "moved"]


class Difference(msgspec.Struct, kw_only=True, omit_defaults=True):
    """What one state has otherwise than the other.

    `schema` and `table` are those of the earlier state, or of the later one where the table is new; both are empty for
    what belongs to no table. `id` is the same whenever the same two states are compared.
    """

    id: str
    kind: Kind
    what: str
    """table, view, column, primary key, unique key, foreign key, check, exclusion, index, trigger, enum type, ..."""
    schema: str = ""
    table: str = ""
    name: str = ""
    field: str = ""
    """Which property differs, where `kind` is changed."""
    before: str = ""
    after: str = ""
    evidence: tuple[str, ...] = ()
    """Why two names are taken for one thing."""
    requires: tuple[str, ...] = ()
    """Ids of differences that have to be taken with this one."""

    @property
    def full_table(self) -> str:
        """Schema and table with a dot between them; "" for what belongs to no table."""
        return f"{self.schema}.{self.table}" if self.schema and self.table else self.table


def with_required(differences: list[Difference], taken: set[str]) -> set[str]:
    """Return what is taken together with all that it can not go without."""
    needs = {one.id: one.requires for one in differences if one.requires}
    whole, waiting = set(taken), [id_ for id_ in taken if id_ in needs]
    while waiting:
        for id_ in needs[waiting.pop()]:
            if id_ not in whole:
                whole.add(id_)
                if id_ in needs:
                    waiting.append(id_)
    return whole


def without_dependent(differences: list[Difference], left: set[str]) -> set[str]:
    """Return what is left together with all that can not go without it."""
    dependents: dict[str, list[str]] = {}
    for one in differences:
        for id_ in one.requires:
            dependents.setdefault(id_, []).append(one.id)
    whole, waiting = set(left), list(left)
    while waiting:
        for id_ in dependents.get(waiting.pop(), ()):
            if id_ not in whole:
                whole.add(id_)
                waiting.append(id_)
    return whole
