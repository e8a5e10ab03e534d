"""How far an edition is described: by schema, how many columns have a definition, and how many each thing that is said holds for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import msgspec

from indexa.core.model import Table


class Coverage(msgspec.Struct):
    """Counts of a schema of a model; `said` counts the columns of which something is said, by aspect."""

    model: str
    schema: str
    tables: int = 0
    columns: int = 0
    tables_described: int = 0
    columns_described: int = 0
    said: dict[str, int] = msgspec.field(default_factory=dict)

    def percent(self, count: int) -> int:
        """Return a count of columns as a share of all, in whole percent, rounded down: 100 means all."""
        return 100 * count // self.columns if self.columns else 0


def coverage_of(tables: Iterable[tuple[str, Table, Mapping[str, Mapping[str, str]]]]) -> list[Coverage]:
    """Count the tables of an edition: of each the name of its model, itself, and what is said of its columns by their names."""
    found: dict[tuple[str, str], Coverage] = {}
    for model, table, said in tables:
        one = found.setdefault((model, table.schema), Coverage(model, table.schema))
        one.tables += 1
        one.columns += len(table.columns)
        one.tables_described += bool(table.definition)
        one.columns_described += sum(bool(column.definition) for column in table.columns)
        for column in table.columns:
            for aspect in said.get(column.name, ()):
                one.said[aspect] = one.said.get(aspect, 0) + 1
    return list(found.values())


def aspects_of(coverage: Iterable[Coverage]) -> list[str]:
    """Return the aspects that are counted, in order of their names."""
    return sorted({aspect for one in coverage for aspect in one.said})
