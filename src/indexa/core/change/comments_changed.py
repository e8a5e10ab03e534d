"""What tables, columns and other objects are said to be: said otherwise, forgotten, and said again of what was made anew."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from typing import Any

import msgspec

from indexa.core.change.steps import Steps
from indexa.core.ddl.comments_made import comment_words, make_comments_of_parts, property_words
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.script import Options as DdlOptions
from indexa.core.ddl.script import Statement
from indexa.core.model import VIEW_KINDS, Column, Model, Table

_FORGET_BY_NULL = frozenset({"postgresql", "greenplum", "redshift", "duckdb", "firebird"})
"""Platforms whose COMMENT ON takes NULL; the others take an empty text."""


class CommentSteps(Steps):
    """Writes the steps for comments."""

    made_anew: Collection[str] = ()
    """Full names of tables whose rows were put aside, and their comments with them."""

    def comments(self) -> None:
        """Say what is said otherwise by now; comments of what was made anew are said again."""
        if not self.options.comments or self.target.comments in ("none", "inline"):
            return
        words: list[str | Statement] = [*self._of_tables(), *self._of_parts()]
        ids = [id_ for id_ in self.plan.ids if id_.endswith(".comment")]
        self.step("Let the comments follow", "comments", words, kind="comment", ids=ids)

    def _of_tables(self) -> Iterator[str]:
        """Yield the statements for tables, views and their columns."""
        beside = self.target.comments == "options"  # a comment comes with what is made
        for table in self.plan.new if not beside else ():
            yield from self._said_of(None, table, {})
        for one in self.plan.tables:
            before = None if one.after.full_name in self.made_anew else one.before
            yield from self._said_of(before, one.after, one.columns)
        changed = {one.after.full_name for one in self.plan.tables}
        for name in self.made_anew:
            if name not in changed:
                yield from self._said_of(None, self._later(name), {})
        yield from self._of_views()

    def _later(self, full_name: str) -> Table:
        return next(table for table in self.plan.comparison.after.tables if table.full_name == full_name)

    def _of_views(self) -> Iterator[str]:
        comparison = self.plan.comparison
        remade = {view.full_name for view in self.plan.new_views}
        earlier = {view.full_name: view for view in comparison.before.tables if view.kind in VIEW_KINDS}
        for view in comparison.after.tables:
            if view.kind in VIEW_KINDS:
                before = earlier.get(view.full_name) if view.full_name not in remade else None
                own = {column.name: column.name for column in view.columns}
                yield from self._said_of(before, view, own)

    def _said_of(self, before: Table | None, after: Table, columns: Mapping[str, str]) -> Iterator[str]:
        """Yield what makes the comments of a table those of its later state; `before` is None where it has none so far."""
        if after.kind == "foreign table":
            return
        yield from self._said(after, None, before.comment if before else "", after.comment)
        earlier = {column.name: column.comment for column in before.columns} if before else {}
        for column in after.columns:
            old = columns.get(column.name)
            if old is None and before is not None and self.target.comments == "options":
                continue  # it came with its comment
            yield from self._said(after, column, earlier.get(old or "", ""), column.comment)

    def _said(self, table: Table, column: Column | None, before: str, now: str) -> Iterator[str]:
        if before == now:
            return
        kind, draft = self.target.comments, self.after
        if kind == "property":
            yield property_words(draft, table, column, "add" if not before else "update" if now else "drop", now)
        elif kind == "options":
            text = draft.namer.text(now) if now else "NULL"
            at = f" ALTER COLUMN {self.quoted(column.name)}" if column else ""
            yield f"ALTER TABLE {self.path(table)}{at} SET OPTIONS (description={text})"
        else:
            nothing = "NULL" if self.platform in _FORGET_BY_NULL else "''"
            yield comment_words(draft, table, column, draft.namer.text(now) if now else nothing)

    def _of_parts(self) -> Iterator[Statement]:
        """Yield the statements for schemas, types, sequences, keys, indexes and triggers, as far as the platform keeps those."""
        comparison = self.plan.comparison
        earlier = self._parts(comparison.before, [*(one.before for one in self.plan.tables), *self.plan.gone])
        after = self._parts(comparison.after, [*(one.after for one in self.plan.tables), *self.plan.new])
        before = {one.text for one in earlier}
        yield from (one for one in after if one.text not in before or self._is_remade(one))
        said = {one.text.partition(" IS ")[0] for one in after}
        dropped = {table.full_name for table in self.plan.gone}
        moved = {one.before.full_name for one in self.plan.tables if one.is_moved}
        for one in earlier:
            head = one.text.partition(" IS ")[0]
            full = f"{one.schema}.{one.name}" if one.schema else one.name
            if head not in said and full not in dropped | moved and not self._goes(head):
                yield msgspec.structs.replace(one, text=f"{head} IS NULL")

    def _parts(self, model: Model, tables: list[Table]) -> list[Statement]:
        draft = Draft(msgspec.structs.replace(model, tables=tables), self.target, DdlOptions())
        make_comments_of_parts(draft)
        return draft.statements

    def _is_remade(self, one: Statement) -> bool:
        return any(
            part.after is not None
            and part.before is not None
            and not part.renamed
            and self._is_of(one.text, part.after.name)
            for plan in self.plan.tables
            for part in plan.parts
        )

    def _goes(self, head: str) -> bool:
        """Return whether a comment goes by itself, with the key, index, trigger or object that it is of."""
        parts: list[Any] = [part.before for plan in self.plan.tables for part in plan.parts if part.before is not None]
        if any(self._is_of(head, part.name) for part in parts):
            return True
        gone = [one.before for one in self.plan.objects if one.after is None]
        return any(head.endswith(self.quoted(one.name)) for one in gone)

    def _is_of(self, text: str, name: str) -> bool:
        own = ("COMMENT ON CONSTRAINT", "COMMENT ON INDEX", "COMMENT ON TRIGGER")
        return text.startswith(own) and self.quoted(name) in text
