"""Keys, indexes, checks and foreign keys that go before columns change, and come after."""

from __future__ import annotations

from typing import Any

import msgspec

from indexa.core.change import checks
from indexa.core.change.planning import PartChange, TablePlan
from indexa.core.change.script import Risk
from indexa.core.change.steps import Steps
from indexa.core.ddl.columns import Columns
from indexa.core.ddl.indexes_made import make_index
from indexa.core.ddl.script import Statement
from indexa.core.ddl.tables_made import foreign_key, make_table
from indexa.core.model import ForeignKey, Table

_PLACES = {"primary key": 4, "unique key": 3, "index": 2, "exclusion": 1, "check": 0}
"""In which order parts of a table go; they come the other way round."""


class PartSteps(Steps):
    """Writes the steps for what hangs on tables."""

    def drop_foreign_keys(self) -> None:
        """Drop foreign keys that go, change, or stand in the way of what changes at either end."""
        self.again: list[tuple[Table, ForeignKey]] = []
        retyped = {
            (one.before.schema, one.before.name): {
                c.before.name for c in one.changed if {"type", "collation"} & set(c.fields)
            }
            for one in self.plan.tables
        }
        rekeyed = {
            (one.before.schema, one.before.name): [
                set(p.before.columns)
                for p in one.parts
                if p.what in ("primary key", "unique key") and p.before is not None
            ]
            for one in self.plan.tables
        }
        changed = {(one.before.schema, one.before.name): one for one in self.plan.tables}
        gone = {(one.schema, one.name) for one in self.plan.gone}
        for table in self.plan.comparison.before.tables:
            own = changed.get((table.schema, table.name))
            parts = {id(p.before): p for p in own.parts if p.what == "foreign key"} if own else {}
            for key in table.foreign_keys:
                parent = (key.ref_schema, key.ref_table)
                part = parts.get(id(key))
                in_the_way = bool(retyped.get((table.schema, table.name), set()) & set(key.columns)) or bool(
                    retyped.get(parent, set()) & set(key.ref_columns)
                )
                in_the_way = in_the_way and self.platform not in ("postgresql", "greenplum")
                in_the_way = in_the_way or any(set(key.ref_columns) == columns for columns in rekeyed.get(parent, ()))
                in_the_way = in_the_way or self.blocks(table, key, changed)
                leaves = (table.schema, table.name) in gone
                if part is not None and part.renamed and self.renames_constraints:
                    continue
                if part is None and not in_the_way and not (leaves and self.options.allow_drops) and parent not in gone:
                    continue
                words = self.words.drop_foreign_key or self.words.drop_constraint
                self.step(
                    f"Drop the foreign key {key.name} of {table.full_name}",
                    table.full_name,
                    [words.format(table=self.path(table), name=self.quoted(key.name))],
                    ids=[part.id] if part else [],
                    kind="drop",
                )
                if part is None and not leaves:
                    self._make_again(table, key)

    unchecked: tuple[str, str] | None = None
    """What lets a foreign key be added without a look at the rows that are there, and what ends that."""

    def blocks(self, table: Table, key: ForeignKey, plans: dict[tuple[str, str], TablePlan]) -> bool:
        """Return whether a foreign key stands in the way of what changes, for reasons that this platform alone has."""
        return False

    def _make_again(self, table: Table, key: ForeignKey) -> None:
        match = self.plan.comparison.matches.by_before[table.schema, table.name]
        twin = next((one for one in match.after.foreign_keys if one.name == key.name), None)
        if twin is not None:
            self.again.append((match.after, twin))

    def drop_parts(self) -> None:
        """Drop keys, indexes and checks that go or change, checks first."""
        for table in self.plan.tables:
            for part in sorted(table.parts, key=lambda one: _PLACES.get(one.what, 9)):
                if part.before is None or part.what not in _PLACES or (part.renamed and self.renames_constraints):
                    continue
                self.step(
                    f"Drop the {part.what} {part.before.name} of {table.before.full_name}",
                    table.before.full_name,
                    [self.drop_part(table.before, part.what, part.before)],
                    ids=[part.id],
                    kind="drop",
                )

    def drop_part(self, table: Table, what: str, part: Any) -> str:
        """Return the statement that drops a key, index or check."""
        words, path, name = self.words, self.path(table), self.quoted(part.name)
        if what == "index":
            if words.drop_index_of_table:
                return words.drop_index_of_table.format(table=path, name=name)
            return words.drop_index.format(path=self.path_in(table.schema, part.name))
        pattern = words.drop_constraint
        if what == "primary key" and words.drop_primary_key:
            pattern = words.drop_primary_key
        if what == "unique key" and words.drop_unique:
            pattern = words.drop_unique
        return pattern.format(table=path, name=name)

    def add_parts(self) -> None:
        """Add keys, indexes and checks that come or changed, keys first."""
        for table in self.plan.tables:
            for part in sorted(table.parts, key=lambda one: -_PLACES.get(one.what, 9)):
                if part.after is None or part.what not in _PLACES or (part.renamed and self.renames_constraints):
                    continue
                self.add_part(table, part)

    def add_part(self, table: TablePlan, part: PartChange) -> None:
        """Add a key, index or check to a table that was there."""
        path, namer = self.path(table.after), self.after.namer
        check = ""
        risk: Risk = "locks"
        if part.what in ("primary key", "unique key") or (part.what == "index" and part.after.unique):
            columns = tuple(getattr(part.after, "columns", ())) or tuple(
                one.column for one in part.after.parts if one.column
            )
            check, risk = checks.twice(namer, path, columns) if columns else "", "may fail"
        elif part.what == "check":
            check, risk = checks.against(path, part.after.expression), "may fail"
        if part.what == "index":
            statements = self.made(
                lambda draft: make_index(draft, table.after, part.after), self.part_of(tables=[table.after])
            )
        else:
            statements = [
                Statement("key", table.after.schema, table.after.name, f"ALTER TABLE {path} ADD {line}")
                for line in self.lines_of(table.after, part)
            ]
        self.step(
            f"Add the {part.what} {part.after.name} of {table.after.full_name}",
            table.after.full_name,
            statements,
            ids=[part.id],
            check=check,
            risk=risk,
        )

    def lines_of(self, table: Table, part: PartChange) -> list[str]:
        """Return the words of a key, check or exclusion as they stand in the statement that makes a table."""
        member: dict[str, Any] = {
            "primary_key": None,
            "unique": [],
            "checks": [],
            "exclusions": [],
            "foreign_keys": [],
            "indexes": [],
            "columns": [],
        }
        place = {"primary key": "primary_key", "unique key": "unique", "check": "checks", "exclusion": "exclusions"}[
            part.what
        ]
        member[place] = part.after if place == "primary_key" else [part.after]
        bare = msgspec.structs.replace(
            table, **member, comment="", options=(), partition_by="", partitions=[], inherits=()
        )
        made = self.made(lambda draft: make_table(draft, Columns(draft), bare), self.part_of(tables=[bare]))
        return [one.text.partition("(\n")[2].rpartition("\n)")[0].strip() for one in made if one.kind == "table"]

    def add_foreign_keys(self) -> None:
        """Add foreign keys that come, changed, or had only to be out of the way."""
        wanted: list[tuple[Table, ForeignKey, str]] = [(table, key, "") for table, key in self.again]
        for plan in self.plan.tables:
            wanted += [
                (plan.after, part.after, part.id)
                for part in plan.parts
                if part.what == "foreign key"
                and part.after is not None
                and not (part.renamed and self.renames_constraints)
            ]
        wanted += [(table, key, "") for table in self.plan.new for key in table.foreign_keys]
        new = {(table.schema, table.name) for table in self.plan.new}
        fresh = {
            (one.after.schema, one.after.name, column.name)
            for one in self.plan.tables
            for column in one.added
            if not column.nullable
        }
        for table, key, id_ in wanted:
            words = foreign_key(self.after, table, key)
            if not words:
                self.keep(table.full_name, f"the foreign key {key.name}")
                continue
            is_new = (table.schema, table.name) in new
            path, parent = self.path(table), self.path_in(key.ref_schema, key.ref_table)
            statements = [f"ALTER TABLE {path} ADD {words}"]
            what = f"Add the foreign key {key.name} of {table.full_name}"
            without = "its parent is new and empty" if (key.ref_schema, key.ref_table) in new else ""
            without = without or ("its column is new" if (table.schema, table.name, *key.columns) in fresh else "")
            if not is_new and without and self.unchecked:
                statements = [self.unchecked[0], *statements, self.unchecked[1]]
                what += f"; {without}, so that rows that are there are not checked"
            self.step(
                what,
                table.full_name,
                statements,
                ids=[id_] if id_ else [],
                check="" if is_new else checks.without_parent(self.after.namer, path, parent, key),
                risk="safe" if is_new else "may fail",
                kind="foreign key",
            )
