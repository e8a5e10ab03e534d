"""From catalog rows to a Model: the builder that live readers and field kits share."""

from __future__ import annotations

from collections.abc import Iterable
from sys import intern

from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Fate, Note, Receipt, count_parts
from indexa.core.model import VIEW_KINDS, Column, ForeignKey, Model, SchemaInfo, Table


class CatalogBuilder:
    """Hangs parts on their tables by schema and name. A part of a table that was not chosen is passed over."""

    def __init__(self, name: str, platform: str, choice: Choice) -> None:
        self.model = Model(name=name, platform=platform)
        self.choice = choice
        self._tables: dict[tuple[str, str], Table] = {}
        self._lower: dict[tuple[str, str], Table] = {}
        self._notes: list[Note] = []
        self._not_taken = {"tables": 0, "views": 0}

    def take(self, table: Table) -> bool:
        """Add a table or view if it was chosen, and say whether it was."""
        if not self.choice.takes(table):
            self._not_taken["views" if table.kind in VIEW_KINDS else "tables"] += 1
            return False
        table.schema = intern(table.schema)
        self._tables[table.schema, table.name] = table
        return True

    def table(self, schema: str, name: str) -> Table | None:
        """Return a table that was taken."""
        return self._tables.get((schema, name))

    def tables(self) -> Iterable[Table]:
        """Return all tables that were taken, in the order in which they came."""
        return self._tables.values()

    def add_column(self, table: Table, column: Column) -> None:
        """Append a column and number it."""
        table.columns.append(column)
        column.position = len(table.columns)

    def note(self, fate: Fate, kind: str, reason: str, count: int = 1, place: str = "") -> None:
        """Put a line on the receipt."""
        self._notes.append(Note(fate, kind, reason, count, place))

    def finish(self, schemas: Iterable[SchemaInfo] = ()) -> tuple[Model, Receipt]:
        """Return the model and its receipt; references are checked and what was not chosen is named."""
        model = self.model
        model.tables = list(self._tables.values())
        known = {schema.name: schema for schema in schemas}
        for table in model.tables:
            if table.schema:
                known.setdefault(table.schema, SchemaInfo(name=table.schema))
        model.schemas = sorted(known.values(), key=lambda schema: schema.name)
        self._check_references()
        for kind, count in self._not_taken.items():
            if count:
                self.note("left out", kind, "They were not chosen.", count)
        names = tuple(schema.name for schema in model.schemas)
        return model, Receipt(arrived=count_parts(model), notes=self._notes, schemas=names)

    def _check_references(self) -> None:
        outside: set[str] = set()
        for table in self._tables.values():
            for foreign in table.foreign_keys:
                target = self._tables.get((foreign.ref_schema, foreign.ref_table)) or self._in_other_case(foreign)
                if target is None:
                    outside.add(
                        f"{foreign.ref_schema}.{foreign.ref_table}" if foreign.ref_schema else foreign.ref_table
                    )
                elif not foreign.ref_columns:
                    foreign.ref_columns = target.primary_key.columns if target.primary_key else foreign.columns
            whole = [foreign for foreign in table.foreign_keys if len(foreign.columns) == len(foreign.ref_columns)]
            self._note_halves(table, table.foreign_keys, whole)
        for place in sorted(outside):
            self.note("adapted", "foreign keys", "They refer to a table that was not read; the name is kept.", 1, place)

    def _in_other_case(self, foreign: ForeignKey) -> Table | None:
        """Find what a reference names in other letters than the table itself, and word the reference as it is."""
        if not self._lower:
            self._lower.update({(table.schema.lower(), table.name.lower()): table for table in self._tables.values()})
        target = self._lower.get((foreign.ref_schema.lower(), foreign.ref_table.lower()))
        if target is not None:
            written = {column.name.lower(): column.name for column in target.columns}
            foreign.ref_schema, foreign.ref_table = target.schema, target.name
            foreign.ref_columns = tuple(written.get(name.lower(), name) for name in foreign.ref_columns)
        return target

    def _note_halves(self, table: Table, all_: list[ForeignKey], whole: list[ForeignKey]) -> None:
        if len(whole) == len(all_):
            return
        for foreign in all_:
            if foreign not in whole and not foreign.ref_columns:
                foreign.ref_columns = foreign.columns
                whole.append(foreign)
        if len(whole) < len(all_):
            self.note(
                "left out",
                "foreign keys",
                "They pair columns that are not of one number.",
                len(all_) - len(whole),
                table.full_name,
            )
        table.foreign_keys = whole
