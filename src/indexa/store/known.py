"""What the store knows of a model before a second reading goes into it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from django.db import connection

from indexa.core.model import Column, Table


@dataclass(slots=True)
class KnownColumn:
    """A stored column: its id, its human words, and the attribute it implements."""

    id: int
    name: str
    type: str
    origin: str
    business_name: str
    definition: str
    link: int | None
    source_name: str = ""
    gone: bool = False
    found: bool = False

    @property
    def name_in_source(self) -> str:
        """The name that the source had for it in the last reading."""
        return self.source_name or self.name


@dataclass(slots=True)
class KnownTable:
    """A stored table and its columns."""

    id: int
    schema: str
    name: str
    origin: str
    business_name: str
    definition: str
    link: int | None
    source_name: str = ""
    table_role: str = ""
    found: bool = False
    columns: list[KnownColumn] = field(default_factory=list)

    @property
    def name_in_source(self) -> str:
        """The name that the source had for it in the last reading."""
        return self.source_name or self.name

    def find_columns(self, columns: list[Column]) -> dict[str, KnownColumn]:
        """Find columns again, by name first, then those renamed: same handle and type. Keyed by name."""
        by_name = {known.name_in_source: known for known in reversed(self.columns)}
        found = {c.name: by_name[c.name] for c in columns if c.name in by_name}
        _mark(found.values())
        by_origin = {known.origin: known for known in self.columns if known.origin and not known.found}
        for column in columns:
            known = by_origin.get(column.origin)
            if column.name not in found and known and not known.found and known.type == column.type:
                found[column.name] = known
                known.found = True
        return found


@dataclass(slots=True)
class Known:
    """All tables of a stored model."""

    by_id: dict[int, KnownTable] = field(default_factory=dict)

    def find_tables(self, tables: list[Table]) -> dict[tuple[str, str], KnownTable]:
        """Find tables again, by name first, then those renamed or moved. Keyed by schema and name.

        A handle alone is no proof (a database that was loaded anew gives out its handles anew): the
        renamed table must share half of its columns with the known one.
        """
        by_name = {(known.schema, known.name_in_source): known for known in reversed(self.by_id.values())}
        found = {}
        for table in tables:
            if known := by_name.get((table.schema, table.name)):
                found[table.schema, table.name] = known
        _mark(found.values())
        by_origin = {known.origin: known for known in self.by_id.values() if known.origin and not known.found}
        for table in tables:
            known = by_origin.get(table.origin)
            if (table.schema, table.name) not in found and known and not known.found:
                shared = {c.name for c in table.columns} & {c.name_in_source for c in known.columns}
                if 2 * len(shared) >= len(known.columns):
                    found[table.schema, table.name] = known
                    known.found = True
        return found


def _mark(found: Iterable[KnownTable | KnownColumn]) -> None:
    for known in found:
        known.found = True


def load_known(model_id: int) -> Known:
    """Load ids, handles, names and human words of a model's tables and columns, in two queries.

    What is there comes before what is gone, so that a name finds the living object first.
    """
    known = Known()
    with connection.cursor() as cursor:
        cursor.execute(
            "select id, schema, name, origin, business_name, definition, entity_id, source_name, table_role from model_table "
            "where model_id = %s order by removed_at nulls first, id",
            [model_id],
        )
        for row in cursor:
            known.by_id[row[0]] = KnownTable(*row)
        cursor.execute(
            "select c.table_id, c.id, c.name, c.type, c.origin, c.business_name, c.definition, c.attribute_id, c.source_name "
            "from model_column c join model_table t on t.id = c.table_id where t.model_id = %s "
            "order by c.removed_at nulls first, c.id",
            [model_id],
        )
        for table_id, *values in cursor:
            known.by_id[table_id].columns.append(KnownColumn(*values))
    return known
