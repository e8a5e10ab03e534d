"""The sequences of a script at some point of it, found by their names and by the tables that own them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator

from indexa.core.model import Sequence


class SequencePool:
    """Sequences in the order in which they were made. `key` folds names as the dialect compares them.

    Names and owners are changed through the pool only, so that neither is ever searched for.
    """

    def __init__(self, key: Callable[[str], str]) -> None:
        self._key = key
        self._all: dict[int, Sequence] = {}
        self._named: dict[tuple[str, str], list[Sequence]] = defaultdict(list)
        self._owned: dict[str, list[Sequence]] = defaultdict(list)
        """By the full name of the table whose column a sequence belongs to."""

    def __iter__(self) -> Iterator[Sequence]:
        return iter(list(self._all.values()))

    def add(self, one: Sequence) -> None:
        """Take a sequence in."""
        self._all[id(one)] = one
        self._list(one)

    def find(self, schema: str, name: str) -> Sequence | None:
        """Return a sequence by its name."""
        found = self._named.get((self._key(schema), self._key(name)))
        return found[0] if found else None

    def of(self, table: str) -> list[Sequence]:
        """Return the sequences that belong to the columns of a table, by its full name."""
        return list(self._owned.get(table, ()))

    def change(
        self, one: Sequence, *, schema: str | None = None, name: str | None = None, owned_by: str | None = None
    ) -> None:
        """Give a sequence another schema, name or owner."""
        self._unlist(one)
        one.schema = one.schema if schema is None else schema
        one.name = one.name if name is None else name
        one.owned_by = one.owned_by if owned_by is None else owned_by
        self._list(one)

    def drop(self, gone: list[Sequence]) -> None:
        """Take sequences out."""
        for one in gone:
            self._unlist(one)
            del self._all[id(one)]

    def drop_of(self, owner: str) -> None:
        """Take out those that belong to a column, or to any column of a table, by its full name."""
        self.drop(self.of(owner) + [one for one in self.of(owner.rpartition(".")[0]) if one.owned_by == owner])

    def _list(self, one: Sequence) -> None:
        self._named[self._key(one.schema), self._key(one.name)].append(one)
        if one.owned_by:
            self._owned[one.owned_by.rpartition(".")[0]].append(one)

    def _unlist(self, one: Sequence) -> None:
        for known in (
            self._named.get((self._key(one.schema), self._key(one.name)), []),
            self._owned.get(one.owned_by.rpartition(".")[0], []),
        ):
            known[:] = [other for other in known if other is not one]
