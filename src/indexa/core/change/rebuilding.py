"""Change scripts of platforms that hardly alter tables: a table that differs is made anew, and its rows are carried over."""

from __future__ import annotations

from functools import partial

import msgspec

from indexa.core import platforms
from indexa.core.change import checks
from indexa.core.change.altering import Altering
from indexa.core.change.planning import PartChange, TablePlan, is_numbered
from indexa.core.change.words import Words
from indexa.core.ddl.columns import Columns
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.indexes_made import make_indexes
from indexa.core.ddl.script import Statement
from indexa.core.ddl.tables_made import in_order, make_table
from indexa.core.model import Column, ForeignKey, Table
from indexa.core.model.translating import translated

_SQLITE = Words(
    begin=("PRAGMA foreign_keys = OFF", "BEGIN"), end=("COMMIT", "PRAGMA foreign_keys = ON"), transactional=True
)
_DUCKDB = Words(begin=("BEGIN",), end=("COMMIT",), transactional=True)
_KEEP = "_rows_of_{name}"


class Rebuilding(Altering):
    """Writes the steps for SQLite and DuckDB."""

    def run(self) -> None:
        """Write all steps."""
        self.words = _SQLITE if self.platform == "sqlite" else _DUCKDB
        self.again = []
        anew = self._to_make_anew()
        self.made_anew = {one.after.full_name for one in anew}
        self.drop_triggers_of(anew)
        self.drop_views()
        self.make_schemas()
        if self.platform == "duckdb":
            self.types.come()
        self._indexes_alone(anew, drop=True)
        for table in anew:
            self._put_rows_aside(table)
        aside = [one.before for one in anew]
        for old in reversed(in_order([*aside, *self.plan.gone])):
            if old in self.plan.gone:
                self.drop_table(old)
            else:
                words = f"DROP TABLE {self.path(old)}"
                self.step(f"Drop {old.full_name}, whose rows are aside", old.full_name, [words], kind="drop")
        for name, statements in self._tables_made(anew).items():
            self.step(
                f"Make the table {name}",
                name,
                statements,
                ids=[f"table:{name}:new"] if f"table:{name}:new" in self.plan.ids else [],
            )
        order = [(table.schema, table.name) for table in in_order([one.after for one in anew])]
        for one in sorted(anew, key=lambda one: order.index((one.after.schema, one.after.name))):
            self._bring_rows_back(one)
        self._indexes_alone(anew, drop=False)
        if self.platform == "duckdb":
            self.types.go()
        self.routines(first=True)
        self.make_views()
        self.routines(first=False)
        self._triggers_of(anew)
        self.comments()

    def _to_make_anew(self) -> list[TablePlan]:
        """Return the tables that are made anew: those that differ in more than indexes and triggers; on DuckDB also those that
        refer to them, since a table that is referred to can't be dropped."""
        anew = [one for one in self.plan.tables if self._differs(one)]
        if self.platform != "duckdb":
            return [*anew, *self._that_refer_to_renamed(anew)]
        by_name = {(one.before.schema, one.before.name): one for one in self.plan.tables}
        found = {(one.before.schema, one.before.name) for one in anew} | {
            (one.schema, one.name) for one in self.plan.gone
        }
        grew = True
        while grew:
            grew = False
            for table in self.plan.comparison.before.tables:
                name = (table.schema, table.name)
                match = self.plan.comparison.matches.by_before.get(name)
                if name in found or match is None:
                    continue
                if any((key.ref_schema, key.ref_table) in found for key in table.foreign_keys):
                    match.fill()
                    anew.append(by_name.get(name) or TablePlan(match.before, match.after, columns=dict(match.columns)))
                    found.add(name)
                    grew = True
        return anew

    def _that_refer_to_renamed(self, anew: list[TablePlan]) -> list[TablePlan]:
        """Return the other tables that refer to one which has another name then, or to a column of it that has."""
        comparison = self.plan.comparison
        there = {(one.before.schema, one.before.name) for one in anew}
        planned = {(one.before.schema, one.before.name): one for one in self.plan.tables}
        found = []
        for table in comparison.before.tables:
            name = (table.schema, table.name)
            match = comparison.matches.by_before.get(name)
            if match is None or name in there:
                continue
            if any(translated(key, name, comparison.forward) != key for key in table.foreign_keys):
                match.fill()
                found.append(planned.get(name) or TablePlan(match.before, match.after, columns=dict(match.columns)))
        return found

    def _differs(self, one: TablePlan) -> bool:
        parts = any(part.what not in ("index", "trigger") for part in one.parts)
        columns = any(set(change.fields) - {"comment"} for change in one.changed)
        gone = bool(one.gone) and self.options.allow_drops
        for column in one.gone if not gone else []:
            self.keep(
                f"{one.after.full_name}.{column.name}", "a column that the model has not; drops were not asked for"
            )
        return bool(parts or columns or gone or one.added or one.renamed or one.is_moved or one.fields - {"comment"})

    def drop_triggers_of(self, anew: list[TablePlan]) -> None:
        """Drop the triggers that go or change; those of tables that are made anew go with them."""
        names = {table.before.full_name for table in anew}
        for table in self.plan.tables:
            for part in table.parts:
                if part.what == "trigger" and part.before is not None and table.before.full_name not in names:
                    self.step(
                        f"Drop the trigger {part.before.name}",
                        table.before.full_name,
                        [f"DROP TRIGGER {self.quoted(part.before.name)}"],
                        ids=[part.id],
                        kind="drop",
                    )

    def _indexes_alone(self, anew: list[TablePlan], *, drop: bool) -> None:
        """Drop or make the indexes that differ on tables that stay; on DuckDB all of tables that are made anew go first."""
        names = {table.before.full_name for table in anew}
        for table in self.plan.tables:
            if table.before.full_name in names:
                continue
            for part in table.parts:
                if part.what == "index" and drop and part.before is not None:
                    self.step(
                        f"Drop the index {part.before.name}",
                        table.before.full_name,
                        [self.drop_part(table.before, "index", part.before)],
                        ids=[part.id],
                        kind="drop",
                    )
                elif part.what == "index" and not drop and part.after is not None:
                    self.add_part(table, part)

    def _aside(self, table: Table) -> str:
        name = self.quoted(_KEEP.format(name=table.name))
        return f"temp.{name}" if self.platform == "sqlite" else name

    def _put_rows_aside(self, table: TablePlan) -> None:
        words = f"CREATE TEMPORARY TABLE {self.quoted(_KEEP.format(name=table.before.name))} AS SELECT * FROM {self.path(table.before)}"
        counts = self._in_the_way(table)
        check = f"SELECT {' + '.join(f'({one})' for one in counts)}" if len(counts) > 1 else "".join(counts)
        self.step(f"Put the rows of {table.before.full_name} aside", table.before.full_name, [words], check=check)

    def _tables_made(self, anew: list[TablePlan]) -> dict[str, list[Statement]]:
        """Return the statements that make new tables and those that are made anew, by table, in order of dependence."""
        tables = in_order([*self.plan.new, *(self._after(one) for one in anew)])
        model = self.part_of(tables=tables, enums=self.plan.comparison.after.enums)
        there = {(table.schema, table.name) for table in self.plan.comparison.after.tables} - {
            (t.schema, t.name) for t in tables
        }
        found: dict[str, list[Statement]] = {}

        def work(draft: Draft) -> None:
            draft.made |= there
            for table in tables:
                begin = len(draft.statements)
                make_table(draft, Columns(draft), table)
                found[table.full_name] = draft.statements[begin:]

        self.made(work, model)
        return found

    def _after(self, one: TablePlan) -> Table:
        """Return a table as it is made anew: with columns that are gone, where drops were not asked for."""
        if self.options.allow_drops or not one.gone:
            return one.after
        kept = [msgspec.structs.replace(column, nullable=True) for column in one.gone]
        return msgspec.structs.replace(one.after, columns=[*one.after.columns, *kept])

    def _bring_rows_back(self, table: TablePlan) -> None:
        before = {column.name: column for column in table.before.columns}
        after = self._after(table)
        names, values = [], []
        fill = ""
        may_fail = any(
            part.after and not part.renamed and part.what not in ("index", "trigger") for part in table.parts
        )
        for column in after.columns:
            if column.generated is not None:
                continue
            old = before.get(
                table.columns.get(column.name, column.name if column in table.gone or column.name in before else "")
            )
            if old is None:
                if column.nullable or column.default is not None or column.identity:
                    continue
                if is_numbered(table, column, self.platform):
                    names.append(self.quoted(column.name))
                    values.append("row_number() OVER ()")
                    continue
                may_fail, fill = True, f"a value for {column.name}, which is never empty"
                continue
            names.append(self.quoted(column.name))
            values.append(self._value(old, column))
            may_fail = (
                may_fail or (old.nullable and not column.nullable and column.default is None) or old.type != column.type
            )
        carry = f"INSERT INTO {self.path(after)} ({', '.join(names)})\nSELECT {', '.join(values)} FROM {self._aside(table.before)}"
        statements = [carry if names else "", f"DROP TABLE {self._aside(table.before)}"]
        if self.platform == "sqlite" and any(column.identity for column in after.columns):
            statements.insert(1, self._counter(table))
        self.step(
            f"Bring the rows of {after.full_name} back",
            after.full_name,
            statements,
            risk="may fail" if may_fail else "rewrites",
            ids=[id_ for id_ in table.ids if not id_.startswith(("index:", "trigger:"))],
            fill=fill,
        )
        if any(column.name for column in table.gone) and self.options.allow_drops:
            self.steps[-1].risk = "loses data"
        indexes = self.made(lambda draft: make_indexes(draft, after))
        self.step(
            f"Make the indexes of {after.full_name}",
            after.full_name,
            indexes,
            ids=[p.id for p in table.parts if p.what == "index"],
            risk="may fail" if any(p.what == "index" and p.after and p.after.unique for p in table.parts) else "safe",
        )

    def _in_the_way(self, table: TablePlan) -> list[str]:
        """Return queries that count the rows which new keys and checks do not take, asked of the table as it is before.

        What rests on a column that is new can't be asked.
        """
        namer, path, dialect = self.after.namer, self.path(table.before), platforms.get(self.platform).dialect
        earlier = {column.name: column for column in table.before.columns}
        counts = []
        for column in table.after.columns:
            old = earlier.get(table.columns.get(column.name, ""))
            if old is not None and old.nullable and not column.nullable and column.default is None:
                counts.append(checks.empty_values(namer, path, old.name))
        for part in table.parts:
            if part.after is None or part.renamed:
                continue
            olds = tuple(table.columns.get(name, "") for name in _columns_of(part))
            if part.what == "check":
                same = [column for column in table.before.columns if table.columns.get(column.name) == column.name]
                if checks.can_be_asked(part.after.expression, same, table.after.columns, dialect):
                    counts.append(checks.against(path, part.after.expression))
            elif not olds or not all(olds):
                continue
            elif part.what == "foreign key":
                parent = self._parent_before(part.after)
                later = {column.name: column.type for column in table.after.columns}
                kept = all(earlier[old].type == later[new] for old, new in zip(olds, part.after.columns, strict=True))
                if parent is not None and kept:
                    key = msgspec.structs.replace(parent[1], columns=olds)
                    counts.append(checks.without_parent(namer, path, parent[0], key))
            else:
                counts.append(checks.twice(namer, path, olds))
        return counts

    def _parent_before(self, key: ForeignKey) -> tuple[str, ForeignKey] | None:
        """Return the path of the table that a key refers to as it is before, and the key with its columns of then.

        None for a new one, and where its columns have another type by then.
        """
        match = self.plan.comparison.matches.by_after.get((key.ref_schema, key.ref_table))
        if match is None:
            return None
        match.fill()
        olds = tuple(match.columns.get(name, "") for name in key.ref_columns)
        was = {column.name: column.type for column in match.before.columns}
        now = {column.name: column.type for column in match.after.columns}
        if not all(olds) or any(was[old] != now[new] for old, new in zip(olds, key.ref_columns, strict=True)):
            return None
        return self.path(match.before), msgspec.structs.replace(key, ref_columns=olds)

    def _counter(self, table: TablePlan) -> str:
        """Return the statement that lets a counting key go on where it was, not at the highest key that is there."""
        return (
            f"UPDATE sqlite_sequence SET seq = MAX(seq, COALESCE((SELECT MAX(rowid) FROM {self.path(table.after)}), 0)) "
            f"WHERE name = {self.after.namer.text(table.after.name)}"
        )

    def _value(self, old: Column, column: Column) -> str:
        value = self.quoted(old.name)
        if old.type.lower() != column.type.lower() and column.type:
            value = f"CAST({value} AS {self.columns.type_of(column, column.name)})"
        if old.nullable and not column.nullable and column.default is not None:
            value = f"COALESCE({value}, {column.default})"
        return value

    def _triggers_of(self, anew: list[TablePlan]) -> None:
        """Make the triggers that come or changed, and all of tables that were made anew."""
        names = {table.after.full_name for table in anew}
        for table in (*self.plan.tables, *(one for one in anew if one not in self.plan.tables)):
            changed = {id(part.after): part.id for part in table.parts if part.what == "trigger"}
            for trigger in table.after.triggers:
                if table.after.full_name in names or id(trigger) in changed:
                    words = Statement("trigger", table.after.schema, trigger.name, trigger.definition.strip())
                    id_ = changed.get(id(trigger))
                    self.step(f"Make the trigger {trigger.name}", trigger.name, [words], ids=[id_] if id_ else [])
        for new in (*self.plan.new, *self.plan.new_views):
            for trigger in new.triggers:
                self.step(
                    f"Make the trigger {trigger.name}",
                    trigger.name,
                    [Statement("trigger", new.schema, trigger.name, trigger.definition.strip())],
                )
        for new in self.plan.new:
            self.step(
                f"Make the indexes of {new.full_name}", new.full_name, self.made(partial(make_indexes, table=new))
            )


def _columns_of(part: PartChange) -> tuple[str, ...]:
    """Return the columns whose values a key or unique index takes once, or whose parents have to be there."""
    if part.what == "index":
        plain = part.after.unique and part.after.predicate is None and all(one.column for one in part.after.parts)
        return tuple(one.column for one in part.after.parts) if plain else ()
    return part.after.columns if part.what in ("primary key", "unique key", "foreign key") else ()
