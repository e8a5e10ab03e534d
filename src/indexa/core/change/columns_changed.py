"""Columns that come, go and change, and what a table has beside them."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from indexa.core.change import checks
from indexa.core.change.planning import ColumnChange, TablePlan, is_numbered
from indexa.core.change.script import Risk
from indexa.core.change.steps import Steps
from indexa.core.ddl.script import Statement


class ColumnSteps(Steps):
    """Writes the steps for columns."""

    def add_column(self, table: TablePlan, column: Any) -> None:
        """Add a column; one that is never empty comes in steps, since rows that are there need a value."""
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
        """Drop a column, if drops were asked for."""
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
        """Change what differs of a column, in the smallest words that the platform has."""
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
