"""Change scripts of MySQL and MariaDB: all that differs in a table is said in one statement, which keeps its keys whole."""

from __future__ import annotations

from typing import Any

import msgspec

from indexa.core import platforms
from indexa.core.change import checks
from indexa.core.change.altering import Altering
from indexa.core.change.planning import PartChange, TablePlan, is_numbered
from indexa.core.change.script import RISKS, Risk
from indexa.core.ddl.indexes_made import make_index
from indexa.core.ddl.script import Statement
from indexa.core.model import ForeignKey, Table

_WORST = list(RISKS)
_HAVE_A_DEFAULT = frozenset({"ROW_FORMAT", "STATS_PERSISTENT", "STATS_AUTO_RECALC", "PACK_KEYS"})
"""Options of tables that are taken back by the word DEFAULT."""


class _Clauses(msgspec.Struct):
    """What one statement changes of a table, with what has to be done and asked before it."""

    words: list[str] = msgspec.field(default_factory=list)
    told: list[str] = msgspec.field(default_factory=list)
    ids: list[str] = msgspec.field(default_factory=list)
    fills: list[str | Statement] = msgspec.field(default_factory=list)
    checks: list[str] = msgspec.field(default_factory=list)
    risk: Risk = "safe"

    def add(self, words: str, told: str, ids: list[str], risk: Risk = "safe", check: str = "") -> None:
        """Note a clause with what it does; the worst risk counts."""
        self.words.append(words)
        self.told.append(told)
        self.ids += ids
        self.risk = max(self.risk, risk, key=_WORST.index)
        self.checks += [check] if check else []


class AlteringMySQL(Altering):
    """Writes the steps for MySQL and MariaDB."""

    unchecked = ("SET FOREIGN_KEY_CHECKS = 0", "SET FOREIGN_KEY_CHECKS = 1")

    def drop_parts(self) -> None:
        """Leave keys and indexes to the statement of their table."""

    def add_parts(self) -> None:
        """Leave keys and indexes to the statement of their table."""

    def blocks(self, table: Table, key: ForeignKey, plans: dict[tuple[str, str], TablePlan]) -> bool:
        """Return whether a foreign key needs an index that goes, at either end."""

        def goes(name: tuple[str, str], columns: tuple[str, ...]) -> bool:
            plan = plans.get(name)
            if plan is None:
                return False
            return any(
                part.before is not None and part.what in ("primary key", "unique key", "index") and _first(part.before) == columns[:1]
                for part in plan.parts
            )  # fmt: skip

        return goes((table.schema, table.name), key.columns) or goes((key.ref_schema, key.ref_table), key.ref_columns)

    def change_tables(self) -> None:
        """Change each table by one statement."""
        for table in self.plan.tables:
            made = self._clauses(table)
            if not made.words:
                continue
            path = self.path(table.after)
            body = ",\n    ".join(made.words)
            check = " + ".join(f"({one})" for one in made.checks)
            self.step(
                f"Change {table.after.full_name}: {'; '.join(made.told)}", table.after.full_name,
                [*made.fills, f"ALTER TABLE {path}\n    {body}"], risk=made.risk, ids=made.ids,
                check=f"SELECT {check}" if check else "",
            )  # fmt: skip

    def _clauses(self, table: TablePlan) -> _Clauses:
        made = _Clauses()
        for part in table.parts:
            if part.before is not None and part.what in ("primary key", "unique key", "index", "check"):
                made.add(self._dropped(part), f"{part.what} {part.before.name} goes", [part.id])
        for column in table.gone:
            label = f"{table.after.full_name}.{column.name}"
            if not self.options.allow_drops:
                self.keep(label, "a column that the model has not; drops were not asked for")
                continue
            ids = [f"column:{table.before.full_name}:{column.name}:gone"]
            made.add(
                f"DROP COLUMN {self.quoted(column.name)}",
                f"column {column.name} goes with its values",
                ids,
                "loses data",
            )
        self._columns_of(table, made)
        for part in table.parts:
            if part.after is not None and part.what in ("primary key", "unique key", "index", "check"):
                risk: Risk = "may fail" if self._may_fail(part) else "locks"
                told = f"{part.what} {part.after.name} comes"
                made.add(self._added(table, part), told, [part.id], risk, self._check(table, part))
        if table.fields & {"options", "comment"}:
            self._options(table, made)
        for field in table.fields & {"partition_by", "partitions"}:
            self.keep(table.after.full_name, f"its {field.replace('_', ' ')}; that is changed by hand")
        return made

    def _columns_of(self, table: TablePlan, made: _Clauses) -> None:
        added = {column.name for column in table.added}
        changed = {change.after.name: change for change in table.changed}
        reordered = "order of columns" in table.fields
        behind = ""
        for column in table.after.columns:
            name, full = self.quoted(column.name), table.before.full_name
            where = f" AFTER {self.quoted(behind)}" if behind else " FIRST"
            line = self.columns.line(table.after, column, alone_in_key=False)
            if column.name in added and is_numbered(table, column, "mysql"):
                path = self.path(table.after)
                empty = self.columns.line(
                    table.after, msgspec.structs.replace(column, nullable=True), alone_in_key=False
                )
                made.fills += [
                    f"ALTER TABLE {path} ADD COLUMN {empty}{where}", "SET @number = 0",
                    f"UPDATE {path} SET {name} = (@number := @number + 1)",
                ]  # fmt: skip
                ids = [f"column:{full}:{column.name}:new"]
                made.add(f"MODIFY COLUMN {line}", f"column {column.name} comes, its rows numbered", ids, "rewrites")
            elif column.name in added:
                must = (
                    not column.nullable and column.default is None and not column.identity and column.generated is None
                )
                told = f"column {column.name} comes" + (", filled with its type's own zero" if must else "")
                made.add(f"ADD COLUMN {line}{where}", told, [f"column:{full}:{column.name}:new"])
            elif column.name in changed or reordered:
                change = changed.get(column.name)
                fields = set(change.fields) if change else set()
                ids = (
                    [f"column:{full}:{change.before.name}.{field}" for field in change.fields]
                    if change
                    else [f"table:{full}.order"]
                )
                risk, check = self._risk(table, change) if change else ("safe", "")
                if change and "nullable" in fields and not column.nullable and column.default is not None:
                    made.fills.append(
                        f"UPDATE {self.path(table.after)} SET {name} = {column.default} WHERE {name} IS NULL"
                    )
                told = f"column {column.name}: {', '.join(sorted(fields)) or 'its place'}"
                made.add(f"MODIFY COLUMN {line}{where if reordered else ''}", told, ids, risk, check)
            behind = column.name

    def _risk(self, table: TablePlan, change: Any) -> tuple[Risk, str]:
        path, before = self.path(table.after), msgspec.structs.replace(change.before, name=change.after.name)
        if "type" in change.fields and not checks.fits_all(before, change.after, "mysql"):
            return "may fail", checks.too_large(self.after.namer, path, before, change.after, "mysql")
        if "nullable" in change.fields and not change.after.nullable and change.after.default is None:
            return "may fail", checks.empty_values(self.after.namer, path, change.after.name)
        return ("rewrites" if "type" in change.fields else "safe"), ""

    def _dropped(self, part: PartChange) -> str:
        name = self.quoted(part.before.name)
        if part.what == "primary key":
            return "DROP PRIMARY KEY"
        return f"DROP CONSTRAINT {name}" if part.what == "check" else f"DROP INDEX {name}"

    def _added(self, table: TablePlan, part: PartChange) -> str:
        if part.what == "index":
            made = self.made(
                lambda draft: make_index(draft, table.after, part.after), self.part_of(tables=[table.after])
            )
            head, _, parts = made[0].text.partition(f" ON {self.path(table.after)} ") if made else ("", "", "")
            return f"ADD {head.removeprefix('CREATE ')} {parts}"
        return f"ADD {' '.join(self.lines_of(table.after, part))}"

    def _may_fail(self, part: PartChange) -> bool:
        return part.what != "index" or part.after.unique

    def _check(self, table: TablePlan, part: PartChange) -> str:
        path = self.path(table.after)
        if part.what == "check":
            there = [
                msgspec.structs.replace(one, name=new)
                for new, old in table.columns.items()
                for one in table.before.columns
                if one.name == old
            ]
            dialect = platforms.get(self.platform).dialect
            can_be_asked = checks.can_be_asked(part.after.expression, there, table.after.columns, dialect)
            return checks.against(path, part.after.expression) if can_be_asked else ""
        columns = tuple(getattr(part.after, "columns", ())) or tuple(
            one.column for one in part.after.parts if one.column
        )
        same = part.before is not None and _named(part.before) == columns and part.what != "index"
        known = {column.name for column in table.before.columns}
        if not self._may_fail(part) or same or not columns or not set(columns) <= known:
            return ""
        return checks.twice(self.after.namer, path, columns)

    def _options(self, table: TablePlan, made: _Clauses) -> None:
        known = set(table.before.options)
        fresh = [one for one in table.after.options if one not in known]
        named = {one.partition("=")[0] for one in table.after.options}
        for gone in sorted({one.partition("=")[0] for one in table.before.options} - named):
            if gone in _HAVE_A_DEFAULT:
                fresh.append(f"{gone}=DEFAULT")
            elif gone:
                self.keep(table.after.full_name, f"its {gone.lower()}, which has no word for what is usual")
        if fresh:
            made.add(" ".join(fresh), "its storage", [f"table:{table.before.full_name}.options"], "rewrites")
        if "comment" in table.fields and self.options.comments:
            words = f"COMMENT = {self.after.namer.text(table.after.comment)}"
            made.add(words, "its comment", [f"table:{table.before.full_name}.comment"])


def _named(part: Any) -> tuple[str, ...]:
    return tuple(getattr(part, "columns", ())) or tuple(one.column for one in getattr(part, "parts", ()))


def _first(part: Any) -> tuple[str, ...]:
    return _named(part)[:1]
