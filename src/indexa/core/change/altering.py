"""Change scripts of platforms that alter tables: what stands in the way goes, names change, columns change, and all is made again."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

import msgspec

from indexa.core.change import checks
from indexa.core.change.planning import ColumnChange, PartChange, Plan, TablePlan, is_numbered
from indexa.core.change.script import Options, Risk, Step
from indexa.core.change.types_changed import TypesChanged
from indexa.core.change.words import WORDS
from indexa.core.ddl.code_made import make_routines, make_triggers, make_views, routines_by_need, views_in_order
from indexa.core.ddl.columns import Columns, CommentedColumns
from indexa.core.ddl.comments_made import make_comments
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.extensions import extensions
from indexa.core.ddl.indexes_made import make_index, make_indexes
from indexa.core.ddl.script import Options as DdlOptions
from indexa.core.ddl.script import Remark, Statement
from indexa.core.ddl.tables_made import foreign_key, inherit, make_table
from indexa.core.ddl.targets import TARGETS
from indexa.core.ddl.types_made import make_schemas
from indexa.core.model import ForeignKey, Model, Table

Made = Callable[[Draft], None]
_MEMBERS = ("schemas", "tables", "enums", "domains", "composites", "ranges", "sequences", "routines")
_PLACES = {"primary key": 4, "unique key": 3, "index": 2, "exclusion": 1, "check": 0}
"""In which order parts of a table go; they come the other way round."""


class Altering:
    """Writes the steps for one platform."""

    def __init__(self, plan: Plan, platform: str, options: Options) -> None:
        comparison = plan.comparison
        self.plan, self.platform, self.options = plan, platform, options
        self.words, self.target = WORDS.get(platform, WORDS["postgresql"]), TARGETS[platform]
        ddl = DdlOptions(comments=options.comments)
        self.before, self.after = Draft(comparison.before, self.target, ddl), Draft(comparison.after, self.target, ddl)
        self.quoted = self.after.namer.quoted
        inline = self.target.comments in ("inline", "options") and options.comments
        self.columns = (CommentedColumns if inline else Columns)(self.after)
        self.steps: list[Step] = []
        self.kept: list[Remark] = []
        self.types = TypesChanged(self)

    # What all parts use ------------------------------------------------------------------------------------

    def step(
        self,
        what: str,
        object_: str,
        statements: Iterable[str | Statement],
        *,
        risk: Risk = "safe",
        ids: Iterable[str] = (),
        check: str = "",
        fill: str = "",
        kind: str = "table",
    ) -> None:
        """Put a step at the end; one without statements is none."""
        given = list(statements)
        found = [one if isinstance(one, Statement) else Statement(kind, "", object_, one) for one in given if one]
        if given and not found:
            self.keep(object_, f"{what}: the platform can't")
        if found:
            self.steps.append(
                Step(
                    what=what,
                    object=object_,
                    statements=found,
                    risk=risk,
                    differences=tuple(ids),
                    check=check,
                    fill=fill,
                )
            )

    def keep(self, object_: str, why: str) -> None:
        """Note a difference that the script leaves."""
        remark = Remark(object_, why)
        if remark not in self.kept:
            self.kept.append(remark)

    def made(self, work: Made, model: Model | None = None) -> list[Statement]:
        """Return the statements that a part of the DDL writer makes of the later model, or of a part of it."""
        draft = Draft(model or self.plan.comparison.after, self.target, DdlOptions(comments=self.options.comments))
        draft.shown = self.after.shown
        work(draft)
        for remark in draft.remarks:
            self.keep(remark.object, remark.what)
        return draft.statements

    def part_of(self, **members: Any) -> Model:
        """Return the later model with only some of its parts."""
        after = self.plan.comparison.after
        empty: dict[str, Any] = {name: [] for name in _MEMBERS}
        return msgspec.structs.replace(after, **(empty | members))

    def path(self, table: Table) -> str:
        """Return the full name of a table in the later state, or in the earlier one for what is dropped."""
        return self.after.path_of(table)

    # The order ---------------------------------------------------------------------------------------------

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
        self.make_tables()
        self.change_tables()
        self.drop_tables()
        self.add_parts()
        self.add_foreign_keys()
        self.types.go()
        self.routines(first=False)
        self.make_views()
        self.triggers()
        self.comments()

    # Out of the way ----------------------------------------------------------------------------------------

    def drop_triggers(self) -> None:
        for table in self.plan.tables:
            for part in table.parts:
                if part.what == "trigger" and part.before is not None:
                    name = self.quoted(part.before.name)
                    on = f" ON {self.path(table.before)}" if self.platform in ("postgresql", "greenplum") else ""
                    name = self.path_in(table.before.schema, part.before.name) if not on else name
                    self.step(
                        f"Drop the trigger {part.before.name}",
                        table.before.full_name,
                        [f"DROP TRIGGER {name}{on}"],
                        ids=[part.id],
                        kind="drop",
                    )

    def path_in(self, schema: str, name: str) -> str:
        """Return the full name of something in a schema."""
        return self.after.path(schema, name)

    def drop_views(self) -> None:
        back = {view.full_name for view in self.plan.new_views}
        for view in reversed(views_in_order(self.plan.gone_views)):
            comes_back = self.name_after(view) in back
            if not comes_back and not self.options.allow_drops:
                self.keep(view.full_name, "a view that the model has not; drops were not asked for")
                continue
            kind = "MATERIALIZED VIEW" if view.kind == "materialized view" else "VIEW"
            why = "; it is made again below" if comes_back else ""
            self.step(
                f"Drop the view {view.full_name}{why}",
                view.full_name,
                [f"DROP {kind} {self.path(view)}"],
                kind="drop",
                ids=self.ids_of(view),
            )

    def name_after(self, table: Table) -> str:
        """Return the full name that a table of the earlier state has in the later one."""
        schema, name = self.plan.after_name((table.schema, table.name))
        return f"{schema}.{name}" if schema else name

    def ids_of(self, table: Table) -> list[str]:
        """Return the differences of a table by its earlier name, or of a new one."""
        return [
            id_ for id_ in (f"table:{table.full_name}:gone", f"table:{table.full_name}:new") if id_ in self.plan.ids
        ]

    def drop_foreign_keys(self) -> None:
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

    def blocks(self, table: Table, key: ForeignKey, plans: dict[tuple[str, str], TablePlan]) -> bool:
        """Return whether a foreign key stands in the way of what changes, for reasons that this platform alone has."""
        return False

    def _make_again(self, table: Table, key: ForeignKey) -> None:
        match = self.plan.comparison.matches.by_before[table.schema, table.name]
        twin = next((one for one in match.after.foreign_keys if one.name == key.name), None)
        if twin is not None:
            self.again.append((match.after, twin))

    unchecked: tuple[str, str] | None = None
    """What lets a foreign key be added without a look at the rows that are there, and what ends that."""

    @property
    def renames_constraints(self) -> bool:
        """Return whether keys and indexes can be given another name."""
        return self.platform == "postgresql"

    def drop_parts(self) -> None:
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

    # Names -------------------------------------------------------------------------------------------------

    def rename(self) -> None:
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

    # What comes --------------------------------------------------------------------------------------------

    def make_schemas(self) -> None:
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
        before, after = (extensions(draft.model, draft.tables) for draft in (self.before, self.after))
        for name in after:
            if name not in before:
                words = f"CREATE EXTENSION IF NOT EXISTS {self.quoted(name)}"
                self.step(f"Make the extension {name}", name, [words], kind="extension")

    def routines(self, *, first: bool) -> None:
        """Make routines that come or changed: those that tables need before them, the others behind."""
        changes = {id(one.after): one for one in self.plan.objects if one.what == "routine" and one.after is not None}
        for_tables, for_views, others = routines_by_need(self.after)
        for routine in for_tables if first else [*for_views, *others]:
            change = changes.get(id(routine))
            if change is None:
                continue
            statements = self.made(lambda draft, one=routine: make_routines(draft, [one]))  # type: ignore[misc]
            drop: list[str | Statement] = []
            if change.before is not None:
                replaced = [msgspec.structs.replace(s, text=_or_replace(s.text)) for s in statements]
                if (
                    self.platform == "postgresql"
                    and change.before.returns == routine.returns
                    and change.before.kind == routine.kind
                ):
                    statements = replaced
                elif not re.match(r"create\s+or\s+replace", statements[0].text if statements else "", re.IGNORECASE):
                    drop = [self.drop_routine(change.before)]
            verb = "Change" if change.before is not None else "Make"
            self.step(
                f"{verb} the {routine.kind} {routine.name}",
                routine.name,
                [*drop, *statements],
                ids=[change.id],
                kind="routine",
            )
        if not first:
            for change in self.plan.objects:
                if change.what == "routine" and change.after is None:
                    self.drop_object(
                        change.before.name,
                        f"the {change.before.kind} {change.before.name}",
                        self.drop_routine(change.before),
                        change.id,
                    )

    def drop_routine(self, routine: Any) -> str:
        """Return the statement that drops a routine."""
        kind = {"procedure": "PROCEDURE", "aggregate": "AGGREGATE", "package": "PACKAGE", "event": "EVENT"}.get(
            routine.kind, "FUNCTION"
        )
        arguments = f"({_bare(routine.arguments)})" if self.platform in ("postgresql", "greenplum") else ""
        return f"DROP {kind} {self.path_in(routine.schema, routine.name)}{arguments}"

    def drop_object(self, name: str, words: str, statement: str, id_: str) -> None:
        """Drop something that belongs to no table, if drops were asked for."""
        if self.options.allow_drops:
            self.step(f"Drop {words}", name, [statement], ids=[id_], kind="drop")
        else:
            self.keep(name, f"{words} that the model has not; drops were not asked for")

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

    # Columns -----------------------------------------------------------------------------------------------

    def change_tables(self) -> None:
        for table in self.plan.tables:
            for column in table.added:
                self.add_column(table, column)
            for change in table.changed:
                self.change_column(table, change)
            for column in table.gone:
                self.drop_column(table, column)
            self.change_options(table)

    def add_column(self, table: TablePlan, column: Any) -> None:
        path = self.path(table.after)
        ids = [f"column:{table.before.full_name}:{column.name}:new"]
        must = not column.nullable and column.default is None and not column.identity and column.generated is None
        if (
            must
            and self.words.set_not_null
            and self.platform == "postgresql"
            and is_numbered(table, column, self.platform)
        ):
            bare = msgspec.structs.replace(column, nullable=True)
            name = self.quoted(column.name)
            number = f"(SELECT ctid AS place, row_number() OVER () AS number FROM {path}) numbered"
            self.step(
                f"Add {table.after.full_name}.{column.name} and number the rows", table.after.full_name, [
                    self.add_words(table, bare),
                    f"UPDATE {path} SET {name} = numbered.number::{self.columns.type_of(column, column.name)} FROM {number} WHERE {path}.ctid = numbered.place",
                    self.words.set_not_null.format(table=path, column=name),
                ], risk="rewrites", ids=ids,
            )  # fmt: skip
            return
        if must and self.words.set_not_null:
            bare = msgspec.structs.replace(column, nullable=True)
            self.step(
                f"Add {table.after.full_name}.{column.name}, empty at first",
                table.after.full_name,
                [self.add_words(table, bare)],
                ids=ids,
            )
            self.step(
                f"Let {table.after.full_name}.{column.name} never be empty",
                table.after.full_name,
                [self.words.set_not_null.format(table=path, column=self.quoted(column.name))],
                risk="may fail",
                check=checks.any_rows(path),
                fill=f"UPDATE {path} SET {self.quoted(column.name)} = ...;",
                ids=ids,
            )
            return
        self.step(
            f"Add {table.after.full_name}.{column.name}",
            table.after.full_name,
            [self.add_words(table, column)],
            ids=ids,
            risk="may fail" if must else "safe",
            check=checks.any_rows(path) if must else "",
        )

    def add_words(self, table: TablePlan, column: Any) -> str:
        """Return the statement that adds a column."""
        line = self.columns.line(table.after, column, alone_in_key=False)
        return self.words.add_column.format(table=self.path(table.after), line=line)

    def drop_column(self, table: TablePlan, column: Any) -> None:
        name = f"{table.after.full_name}.{column.name}"
        if not self.options.allow_drops:
            self.keep(name, "a column that the model has not; drops were not asked for")
            return
        self.step(
            f"Drop the column {name} with its values",
            table.after.full_name,
            [self.words.drop_column.format(table=self.path(table.after), column=self.quoted(column.name))],
            risk="loses data",
            ids=[f"column:{table.before.full_name}:{column.name}:gone"],
            kind="drop",
        )

    def change_column(self, table: TablePlan, change: ColumnChange) -> None:
        fields = set(change.fields) - {"comment"}
        if not fields:
            return
        before, after, words = change.before, change.after, self.words
        ids = [f"column:{table.before.full_name}:{before.name}.{field}" for field in change.fields]
        path, name = self.path(table.after), self.quoted(after.name)
        label = f"{table.after.full_name}.{after.name}"
        if "generated" in fields or ("identity" in fields and self.platform not in ("postgresql", "mysql")):
            if not self.options.allow_drops and before.generated is None:
                self.keep(
                    label,
                    "how it is computed; the column would have to be dropped and added, and drops were not asked for",
                )
                return
            self.step(
                f"Add {label} anew: how it is computed differs",
                label,
                [words.drop_column.format(table=path, column=name), self.add_words(table, after)],
                risk="rewrites",
                ids=ids,
            )
            return
        risk: Risk = "safe" if checks.fits_all(before, after, self.platform) else "may fail"
        if words.whole_column:
            self._whole_column(table, change, fields, ids)
            return
        if "type" in fields or "collation" in fields:
            statements = []
            if before.default is not None and words.drop_default:
                statements.append(words.drop_default.format(table=path, column=name))
            type_ = self.columns.type_of(after, label)
            statements.append(
                words.set_type.format(
                    table=path,
                    column=name,
                    type=type_ + self._collation(after),
                    using=self._using(before, after, type_, name),
                )
            )
            if after.default is not None and words.set_default and before.default is not None:
                statements.append(words.set_default.format(table=path, column=name, default=after.default))
            self.step(
                f"Change the type of {label} from {before.type} to {after.type}",
                label,
                statements,
                ids=ids,
                risk=risk if risk != "safe" or checks.only_told(before, after, self.platform) else "rewrites",
                check=checks.too_large(
                    self.after.namer, path, msgspec.structs.replace(before, name=after.name), after, self.platform
                ),
            )
        retyped = ("type" in fields or "collation" in fields) and before.default is not None
        if "identity" in fields:
            self._identity(table, change, ids)
        elif "default" in fields and not (retyped and after.default is not None):
            if after.default is None and not retyped:
                self.step(
                    f"Take the default of {label} away",
                    label,
                    [words.drop_default.format(table=path, column=name)],
                    ids=ids,
                )
            elif after.default is not None:
                self.step(
                    f"Give {label} the default {after.default}",
                    label,
                    [words.set_default.format(table=path, column=name, default=after.default)],
                    ids=ids,
                )
        if "nullable" in fields:
            self._nullable(table, change, ids)

    def _nullable(self, table: TablePlan, change: ColumnChange, ids: list[str]) -> None:
        after, path, name = change.after, self.path(table.after), self.quoted(change.after.name)
        label = f"{table.after.full_name}.{after.name}"
        if after.nullable:
            in_key = table.after.primary_key and after.name in table.after.primary_key.columns
            if not in_key:
                self.step(
                    f"Let {label} be empty", label, [self.words.drop_not_null.format(table=path, column=name)], ids=ids
                )
            return
        if not self.words.set_not_null:
            self.keep(label, "that it is never empty; the platform can't say so later")
            return
        fill: list[str | Statement] = []
        if after.default is not None and not re.search(r"nextval", after.default):
            fill = [f"UPDATE {path} SET {name} = {after.default} WHERE {name} IS NULL"]
        self.step(
            f"Let {label} never be empty" + ("; rows without a value get the default" if fill else ""),
            label,
            [*fill, self.words.set_not_null.format(table=path, column=name)],
            ids=ids,
            risk="locks" if fill else "may fail",
            check="" if fill else checks.empty_values(self.after.namer, path, after.name),
            fill="" if fill else f"UPDATE {path} SET {name} = ... WHERE {name} IS NULL;",
        )

    def _identity(self, table: TablePlan, change: ColumnChange, ids: list[str]) -> None:
        before, after, path, name = change.before, change.after, self.path(table.after), self.quoted(change.after.name)
        label = f"{table.after.full_name}.{after.name}"
        statements = []
        if before.identity:
            statements.append(f"ALTER TABLE {path} ALTER COLUMN {name} DROP IDENTITY")
        if before.default is not None and after.default is None:
            statements.append(self.words.drop_default.format(table=path, column=name))
        if after.identity:
            statements.append(f"ALTER TABLE {path} ALTER COLUMN {name} ADD {self.target.identity[after.identity]}")
            sequence = f"pg_get_serial_sequence({self.after.namer.text(path)}, {self.after.namer.text(after.name)})"
            statements.append(f"SELECT setval({sequence}, (SELECT COALESCE(MAX({name}), 0) + 1 FROM {path}), false)")
        elif after.default is not None:
            statements.append(self.words.set_default.format(table=path, column=name, default=after.default))
        self.step(
            f"Let {label} count {'by itself' if after.identity else 'no longer by itself'}", label, statements, ids=ids
        )

    def _whole_column(self, table: TablePlan, change: ColumnChange, fields: set[str], ids: list[str]) -> None:
        """Say a column anew as a whole, where the platform has no smaller words."""
        before, after, path = change.before, change.after, self.path(table.after)
        label = f"{table.after.full_name}.{after.name}"
        line = self.columns.line(table.after, after, alone_in_key=False)
        statements: list[str | Statement] = []
        fills = "nullable" in fields and not after.nullable
        if fills and after.default is not None:
            statements.append(
                f"UPDATE {path} SET {self.quoted(after.name)} = {after.default} WHERE {self.quoted(after.name)} IS NULL"
            )
        never = "NOT NULL" if not after.nullable else "NULL"
        if after.nullable and not before.nullable and not line.endswith(" NULL"):
            line += " NULL"  # without the word it would stay as it is
        if fields & {"type", "nullable", "collation"} or "{line}" in self.words.whole_column:
            statements.append(
                self.words.whole_column.format(
                    table=path,
                    column=self.quoted(after.name),
                    line=line,
                    type=self.columns.type_of(after, label),
                    null=never,
                )
            )
        if "default" in fields and "{line}" not in self.words.whole_column:
            if after.default is not None:
                statements.append(
                    self.words.set_default.format(table=path, column=self.quoted(after.name), default=after.default)
                )
            else:
                self.keep(label, "its default, which the platform drops only by the name that it gave it")
        safe = checks.fits_all(before, after, self.platform) and not fills
        renamed = msgspec.structs.replace(before, name=after.name)
        check = checks.too_large(self.after.namer, path, renamed, after, self.platform) if "type" in fields else ""
        if fills and after.default is None:
            check = check or checks.empty_values(self.after.namer, path, after.name)
        told = ", ".join(sorted(fields))
        self.step(
            f"Change {label}: {told}", label, statements, ids=ids, risk="rewrites" if safe else "may fail", check=check
        )

    def _collation(self, column: Any) -> str:
        return f" COLLATE {self.after.collation(column.collation)}" if column.collation and self.after.same else ""

    def _using(self, before: Any, after: Any, type_: str, name: str) -> str:
        if self.platform not in ("postgresql", "greenplum") or checks.fits_all(before, after, self.platform):
            return ""
        enum = {f"{one.schema}.{one.name}" for one in self.plan.comparison.after.enums}
        if after.type in enum or before.type in {
            f"{one.schema}.{one.name}" for one in self.plan.comparison.before.enums
        }:
            return f" USING {name}::text::{type_}"
        return f" USING {name}::{type_}"

    def change_options(self, table: TablePlan) -> None:
        """Change what a table has beside its columns."""
        if "order of columns" in table.fields:
            self.keep(
                table.after.full_name,
                "the order of its columns; the platform can't change it without making the table anew",
            )
        if "unlogged" in table.fields and self.platform == "postgresql":
            self.step(
                f"Set how {table.after.full_name} is logged",
                table.after.full_name,
                [f"ALTER TABLE {self.path(table.after)} SET {'UNLOGGED' if table.after.unlogged else 'LOGGED'}"],
                risk="rewrites",
                ids=[f"table:{table.before.full_name}.unlogged"],
            )
        if "options" in table.fields and self.platform == "postgresql":
            named = {one.partition("=")[0] for one in table.after.options}
            gone = [one.partition("=")[0] for one in table.before.options if one.partition("=")[0] not in named]
            path = self.path(table.after)
            self.step(
                f"Set the storage of {table.after.full_name}",
                table.after.full_name,
                [
                    f"ALTER TABLE {path} SET ({', '.join(table.after.options)})" if table.after.options else "",
                    f"ALTER TABLE {path} RESET ({', '.join(gone)})" if gone else "",
                ],
                ids=[f"table:{table.before.full_name}.options"],
            )
        for field in table.fields & {"partition_by", "partitions", "inherits"}:
            self.keep(table.after.full_name, f"its {field.replace('_', ' ')}; that is changed by hand")

    def drop_tables(self) -> None:
        for table in reversed(self.plan.gone):
            if not self.options.allow_drops:
                self.keep(table.full_name, "a table that the model has not; drops were not asked for")
                continue
            kind = "FOREIGN TABLE" if table.kind == "foreign table" else "TABLE"
            self.step(
                f"Drop the table {table.full_name} with its rows",
                table.full_name,
                [f"DROP {kind} {self.path(table)}"],
                risk="loses data",
                ids=[f"table:{table.full_name}:gone"],
                kind="drop",
            )

    # Keys, indexes, checks ---------------------------------------------------------------------------------

    def add_parts(self) -> None:
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
            statements = self.made(lambda draft: make_index(draft, table.after, part.after))
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

    # Code and comments -------------------------------------------------------------------------------------

    def make_views(self) -> None:
        model = self.part_of(tables=self.plan.new_views)
        for one in self.made(make_views, model):
            self.step(
                f"Make the {one.kind} {one.name}",
                f"{one.schema}.{one.name}",
                [one],
                kind="view",
                ids=[
                    i
                    for i in (f"table:{one.schema}.{one.name}:new", f"table:{one.schema}.{one.name}.definition_sql")
                    if i in self.plan.ids
                ],
            )

    def triggers(self) -> None:
        tables = [
            msgspec.structs.replace(
                plan.after, triggers=[p.after for p in plan.parts if p.what == "trigger" and p.after is not None]
            )
            for plan in self.plan.tables
        ]
        model = self.part_of(tables=[*tables, *self.plan.new, *self.plan.new_views])
        for one in self.made(make_triggers, model):
            self.step(
                f"Make the trigger {one.name}",
                one.name,
                [one],
                kind="trigger",
                ids=[
                    p.id
                    for plan in self.plan.tables
                    for p in plan.parts
                    if p.what == "trigger" and p.after is not None and p.after.name == one.name
                ],
            )

    def comments(self) -> None:
        """Say what is said otherwise by now; comments of what was made anew are said again."""
        if not self.options.comments or self.target.comments not in ("statement", "property"):
            return
        remade = {view.full_name for view in self.plan.new_views} | {table.full_name for table in self.plan.new}
        before = {one.text for one in self._comments(self.plan.comparison.before)}
        after = self._comments(self.plan.comparison.after)
        anew = [
            one
            for one in after
            if one.text not in before
            or (f"{one.schema}.{one.name}" if one.schema else one.name) in remade
            or self._is_remade(one)
        ]
        said = {one.text.partition(" IS ")[0] for one in after}
        forgotten = []
        if self.target.comments == "statement":
            renamed = {
                f"{p.before.schema}.{p.before.name}" for p in self.plan.tables if p.is_moved or p.renamed or p.gone
            }
            gone = {table.full_name for table in (*self.plan.gone, *self.plan.gone_views)}
            for one in self._comments(self.plan.comparison.before):
                head = one.text.partition(" IS ")[0]
                full = f"{one.schema}.{one.name}" if one.schema else one.name
                if (
                    head not in said
                    and full not in gone
                    and full not in renamed
                    and not head.startswith("COMMENT ON CONSTRAINT")
                ):
                    forgotten.append(msgspec.structs.replace(one, text=f"{head} IS NULL"))
        self.step(
            "Let the comments follow",
            "comments",
            [*anew, *forgotten],
            kind="comment",
            ids=[id_ for id_ in self.plan.ids if id_.endswith(".comment")],
        )

    def _comments(self, model: Model) -> list[Statement]:
        draft = Draft(model, self.target, DdlOptions())
        make_comments(draft)
        return draft.statements

    def _is_remade(self, one: Statement) -> bool:
        if not one.text.startswith(("COMMENT ON CONSTRAINT", "COMMENT ON INDEX", "COMMENT ON TRIGGER")):
            return False
        return any(
            part.after is not None
            and part.before is not None
            and not part.renamed
            and self.quoted(part.after.name) in one.text
            for plan in self.plan.tables
            for part in plan.parts
        )


def _or_replace(text: str) -> str:
    return re.sub(r"^(\s*create)\s+(?!or\s+replace)", r"\1 OR REPLACE ", text, count=1, flags=re.IGNORECASE)


def _bare(arguments: str) -> str:
    """Return arguments as DROP takes them: without defaults."""
    return re.sub(r"\s+(DEFAULT|=)\s+[^,]+", "", arguments, flags=re.IGNORECASE)
