"""Questions to the rows of a source, as one round puts them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from indexa.core.infer.data import Inclusion, Place, Repeat, Uniqueness


class Search(msgspec.Struct, frozen=True):
    """A column whose name tells nothing, and the keys in which all its values may stand."""

    column: Place
    keys: tuple[Place, ...]


class Questions(msgspec.Struct):
    """Questions to the rows, the likeliest first; `indexed` are those whose answer takes an index of the other table."""

    unique: list[Uniqueness] = []
    included: list[Inclusion] = []
    indexed: set[Place] = set()
    """Keys and leading columns of indexes."""
    searched: list[Search] = []
    ranged: list[Inclusion] = []
    """Numbers that all stand in a key, maybe by chance: how do they lie among those there?"""
    counted: list[tuple[str, str]] = []
    """Schemas and names of tables whose rows are to be counted."""
    repeated: list[Repeat] = []
    tried: list[Uniqueness] = []
    """Columns that may be a key together, though nothing but their place says so."""

    def __len__(self) -> int:
        return sum(len(getattr(self, name)) for name in self.__struct_fields__ if name != "indexed")

    def without(self, seen: set[object]) -> Questions:
        """Return the questions that were not asked before, and add them to those seen; a column is searched for once."""

        ranged = [one for one in dict.fromkeys(self.ranged) if ("ranged", one) not in seen]
        seen.update(("ranged", one) for one in ranged)

        def new(asked: Sequence[Any]) -> list[Any]:
            asked = list(dict.fromkeys(asked))
            found = [one for one in asked if (one.column if isinstance(one, Search) else one) not in seen]
            seen.update(one.column if isinstance(one, Search) else one for one in found)
            return found

        return Questions(
            unique=new(self.unique), included=new(self.included), indexed=self.indexed, searched=new(self.searched),
            ranged=ranged, counted=new(self.counted), repeated=new(self.repeated), tried=new(self.tried),
        )  # fmt: skip
