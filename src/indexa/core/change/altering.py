"""Change scripts of platforms that alter tables: what stands in the way goes, names change, columns change, and all is made again."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec

from indexa.core.change.code_changed import CodeSteps
from indexa.core.change.columns_changed import ColumnSteps
from indexa.core.change.comments_changed import CommentSteps
from indexa.core.change.parts_changed import PartSteps
from indexa.core.change.planning import PartChange, Plan, TablePlan
from indexa.core.change.script import Options
from indexa.core.change.types_changed import TypesChanged
from indexa.core.ddl.columns import Columns, CommentedColumns
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.extensions import extensions
from indexa.core.ddl.indexes_made import make_indexes
from indexa.core.ddl.tables_made import in_order, inherit, make_table
from indexa.core.ddl.types_made import make_schemas
from indexa.core.model import Table


class Altering(ColumnSteps, PartSteps, CodeSteps, CommentSteps):
    """Writes the steps for one platform."""

    def __init__(self, plan: Plan, platform: str, options: Options) -> None:
        super().__init__(plan, platform, options)
        self.types = TypesChanged(self)

    def run(self) -> None:
        """Write all steps."""
        self.drop_triggers()
        self.drop_views()
        self.drop_foreign_keys()
        self.drop_parts()
        self.rename()
        self.make_schemas()
        self.make_extensions()
        self.types.come()
        self.routines(first=True)
        goes_first = self._names_meet()
        if goes_first:
            self.drop_tables()
        self.make_tables()
        self.change_tables()
        if not goes_first:
            self.drop_tables()
        self.add_parts()
        self.add_foreign_keys()
        self.types.go()
        self.routines(first=False)
        self.make_views()
        self.triggers()
        self.comments()

    def _names_meet(self) -> bool:
        """Return whether a new table has a key or index whose name a table that goes has too: it is free only then."""

        def names(tables: list[Table]) -> set[tuple[str, str]]:
            return {(table.schema, part.name.lower()) for table in tables for part in _parts_of(table) if part.name}

        return not names(self.plan.new).isdisjoint(names(self.plan.gone))

    def rename(self) -> None:
        """Give tables, columns and keys their names: all that follows is in the later ones."""
        for table in self.plan.tables:
            before, after = table.before, table.after
            at = before
            if before.schema != after.schema and self.target.has_schemas:
                moved = msgspec.structs.replace(before, schema=after.schema)
                words = (
                    self.words.move_table.format(
                        table=self.path(before), schema=self.quoted(after.schema), path=self.path(moved)
                    )
                    if self.words.move_table
                    else ""
                )
                if words:
                    self.step(
                        f"Move {before.full_name} to {after.schema}",
                        before.full_name,
                        [words],
                        ids=[i for i in table.ids if i.endswith(".name")],
                    )
                    at = moved
                else:
                    self.keep(before.full_name, f"the platform can't move it to {after.schema}")
            if before.name != after.name:
                self._rename_table(table, at)
            for old, new in table.renamed:
                words = self.words.rename_column.format(
                    table=self.path(after),
                    column=self.quoted(old),
                    name=self.quoted(new),
                    new=self.after.namer.text(new),
                    full_column=self.after.namer.text(f"{self.path(after)}.{self.quoted(old)}"),
                )
                self.step(
                    f"Rename {after.full_name}.{old} to {new}",
                    after.full_name,
                    [words],
                    ids=[f"column:{before.full_name}:{old}.name"],
                )
            for part in table.parts:
                if part.renamed and self.renames_constraints and part.what != "trigger":
                    self._rename_part(table, part)

    def _rename_table(self, table: TablePlan, at: Table) -> None:
        after = table.after
        if not self.words.rename_table:
            self.keep(at.full_name, f"the platform can't rename a table; it stays instead of {after.name}")
            return
        words = self.words.rename_table.format(
            table=self.path(at),
            name=self.quoted(after.name),
            path=self.path(after),
            new=self.after.namer.text(after.name),
            full=self.after.namer.text(self.path(at)),
        )
        self.step(
            f"Rename {at.full_name} to {after.name}",
            at.full_name,
            [words],
            ids=[f"table:{table.before.full_name}.name"],
        )

    def _rename_part(self, table: TablePlan, part: PartChange) -> None:
        old, new = self.quoted(part.before.name), self.quoted(part.after.name)
        words = (
            f"ALTER INDEX {self.path_in(table.after.schema, part.before.name)} RENAME TO {new}"
            if part.what == "index"
            else f"ALTER TABLE {self.path(table.after)} RENAME CONSTRAINT {old} TO {new}"
        )
        self.step(
            f"Rename the {part.what} {part.before.name} to {part.after.name}",
            table.after.full_name,
            [words],
            ids=[part.id],
        )

    def make_schemas(self) -> None:
        """Make schemas that only the later model has."""
        there = {table.schema for table in self.plan.comparison.before.tables} | {
            one.name for one in self.plan.comparison.before.schemas
        }
        for one in self.made(make_schemas):
            if one.schema not in there:
                self.step(f"Make the schema {one.name}", one.name, [one], ids=[f"schema:.{one.name}."])

    def make_extensions(self) -> None:
        """Make the extensions of the server that only the later model needs."""
        if self.platform != "postgresql":
            return
        touched = [*self.plan.new, *(one.after for one in self.plan.tables)]
        wanted = extensions(self.plan.comparison.after, touched)
        there = extensions(self.before.model, self.before.tables) if wanted else ()
        for name in wanted:
            if name not in there:
                words = f"CREATE EXTENSION IF NOT EXISTS {self.quoted(name)}"
                self.step(f"Make the extension {name}", name, [words], kind="extension")

    def make_tables(self) -> None:
        """Make new tables with their indexes; their foreign keys come once all tables are there."""
        after = self.plan.comparison.after
        lists = {"enums": after.enums, "domains": after.domains, "sequences": after.sequences}
        inline = isinstance(self.columns, CommentedColumns)
        for table in self.plan.new:

            def work(draft: Draft, table: Table = table) -> None:
                make_table(draft, (CommentedColumns if inline else Columns)(draft), table)
                make_indexes(draft, table)

            statements = self.made(work, self.part_of(tables=[table], **lists))
            self.step(f"Make the table {table.full_name}", table.full_name, statements, ids=self.ids_of(table))
        for table in self.plan.new:
            self.step(f"Let {table.full_name} inherit", table.full_name, self.made(partial(inherit, table=table)))

    def change_tables(self) -> None:
        """Change the columns of tables that stay, and what these have beside them."""
        for table in self.plan.tables:
            for column in table.added:
                self.add_column(table, column)
            for change in table.changed:
                self.change_column(table, change)
            for column in table.gone:
                self.drop_column(table, column)
            self.change_options(table)

    def drop_tables(self) -> None:
        """Drop tables that go, if drops were asked for; those that others refer to last."""
        for table in reversed(in_order(self.plan.gone)):
            self.drop_table(table)

    def drop_table(self, table: Table) -> None:
        """Drop a table that goes, if drops were asked for."""
        if not self.options.allow_drops:
            self.keep(table.full_name, "a table that the model has not; drops were not asked for")
            return
        kind = "FOREIGN TABLE" if table.kind == "foreign table" else "TABLE"
        self.step(
            f"Drop the table {table.full_name} with its rows",
            table.full_name,
            [f"DROP {kind} {self.path(table)}"],
            risk="loses data",
            ids=[f"table:{table.full_name}:gone"],
            kind="drop",
        )


def _parts_of(table: Table) -> list[Any]:
    own = [table.primary_key] if table.primary_key else []
    return [*own, *table.unique, *table.foreign_keys, *table.checks, *table.exclusions, *table.indexes]
