"""Columns of views and of tables made from a query, worked out from the query and the tables that are known."""

from __future__ import annotations

import logging
import re
from typing import Any

from indexa.core.model import VIEW_KINDS, Column
from indexa.core.scripts.state import Draft, Script
from indexa.core.scripts.words import is_too_much

_LOCKING = re.compile(
    r"^(?:\s*LOCK(?:ING)?\s+(?:TABLE\s+|ROW\s+|DATABASE\s+|VIEW\s+)?(?:[\w.\"]+\s+)??(?:FOR\s+)?(?:ACCESS|READ|WRITE|EXCLUSIVE|SHARE)\s+)+",
    re.I,
)
"""What a parallel platform writes before a query to say how its tables are locked."""


def settle_queries(script: Script) -> None:
    """Give each view, and each table made from a query, its columns."""
    waiting = [draft for draft in script.drafts.values() if draft.query and draft.query != "partition"]
    pending = {draft.number for draft in waiting}
    for draft in waiting:
        _settle(script, draft, pending, set())


def settle_now(script: Script, draft: Draft) -> None:
    """Give a view, or a table made by a query, its columns as it is made, if all that the query shows is known; else it
    waits for the end, as the script may make it later."""
    query = _Query(script, draft, set(), set())
    try:
        columns = query.columns()
    except Exception:  # it is tried again, and told, at the end
        return
    if columns and not query.misses and all(column.name for column in columns):
        _take(script, draft, columns)
        draft.query = ""


def _settle(script: Script, draft: Draft, pending: set[int], under_way: set[int]) -> None:
    if draft.number not in pending or draft.number in under_way:
        return
    under_way.add(draft.number)
    try:
        columns = _Query(script, draft, pending, under_way).columns()
    except Exception as error:  # whatever the general parser meets, a view must not be lost by it
        columns = None
        reason = f"Its query could not be parsed; only the columns it declares are known ({type(error).__name__})."
        script.note("adapted", "views" if draft.table.kind in VIEW_KINDS else "tables", reason, draft.table.full_name)
    if columns is not None and not columns and not draft.declared:
        script.note(
            "adapted",
            "views" if draft.table.kind in VIEW_KINDS else "tables",
            "Its columns could not be read from its query.",
            draft.table.full_name,
        )
    under_way.discard(draft.number)
    pending.discard(draft.number)
    _take(script, draft, columns or [])


def _take(script: Script, draft: Draft, found: list[Column]) -> None:
    key = script.dialect.key
    found_by_query = found
    commented = {name: column.comment for name, column in draft.columns.items()}
    if draft.declared:
        found = [
            _shown(name, found[at]) if at < len(found) else Column(name, 0, "")
            for at, name in enumerate(draft.declared)
        ]
    a_view = draft.table.kind in VIEW_KINDS
    for column in (*found, *found_by_query):
        if a_view or "default" not in script.dialect.query_keeps:
            column.default = None
        if not a_view and "not null" not in script.dialect.query_keeps:
            column.nullable = True
        if not a_view:
            column.type = script.dialect.query_type(column.type)
            column.collation = column.collation if script.dialect.query_keeps_collation else ""
        if not a_view and "comment" not in script.dialect.query_keeps:
            column.comment = ""
    if draft.table.columns:  # a table that names its columns itself; the query may say their types, or add some
        for column, queried in zip(draft.table.columns, found_by_query, strict=False):
            column.type = column.type or queried.type
        if script.dialect.inline_indexes and not a_view:
            shown = [draft.columns.setdefault(key(queried.name), queried) for queried in found_by_query]
            own = [column for column in draft.table.columns if not any(column is one for one in shown)]
            draft.table.columns[:] = [*own, *shown]
            draft.renumber()
        return
    draft.columns.clear()
    untyped = 0
    for column in found:
        if key(column.name) in draft.columns or not column.name:
            continue
        column.comment = commented.get(key(column.name), "") or column.comment
        draft.add(column, key(column.name))
        untyped += not column.type
    draft.untyped = untyped


def _shown(name: str, column: Column) -> Column:
    """Return what a query shows of a column, under a name."""
    return Column(name, 0, column.type, column.nullable, column.default, collation=column.collation)


def _missing(column: Column) -> Column:
    """Return a column as the other side of an outer join shows it."""
    return Column(column.name, 0, column.type, True, comment=column.comment, collation=column.collation)


class _Query:
    """Works out the columns of one query."""

    def __init__(self, script: Script, draft: Draft, pending: set[int], under_way: set[int]) -> None:
        self._script, self._draft, self._pending, self._under_way = script, draft, pending, under_way
        self.misses = False
        """Whether it shows a table that is not known yet."""

    def columns(self) -> list[Column]:
        """Return name and, where it is a plain column of something known, type of each."""
        import sqlglot

        query = self._draft.query
        if is_too_much(query):
            raise ValueError("too long or too deep")
        query = _LOCKING.sub("", query)
        logging.getLogger("sqlglot").setLevel(logging.ERROR)  # what it can't parse stands on the receipt
        tree = sqlglot.parse_one(query, dialect=self._script.dialect.parser or None)
        return self._of(tree, {})

    def _of(self, tree: Any, names: dict[str, list[Column]]) -> list[Column]:
        from sqlglot import exp

        names = dict(names)
        for part in (tree.args.get("with_") or tree.args.get("with") or exp.With()).expressions:
            inner = self._of(part.this, names)
            aliases = [one.name for one in part.args["alias"].columns] if part.args.get("alias") else []
            names[part.alias.lower()] = [
                _shown(aliases[at] if at < len(aliases) else one.name, one) for at, one in enumerate(inner)
            ]
        if isinstance(tree, (exp.Subquery, exp.Paren)):
            return self._of(tree.this, names)
        if isinstance(tree, exp.SetOperation):
            return self._of(tree.this, names)
        if not isinstance(tree, exp.Select):
            return []
        known = self._sources(tree, names)
        found: list[Column] = []
        for expression in tree.expressions:
            found += self._projection(expression, known)
        return found

    def _sources(self, tree: Any, names: dict[str, list[Column]]) -> dict[str, list[Column]]:
        known: dict[str, list[Column]] = {}
        start = tree.args.get("from_") or tree.args.get("from")
        for one, may_be_missing in self._joined(start.this if start else None, tree.args.get("joins") or []):
            alias = (one.alias_or_name or "").lower()
            columns = self._source(one, names)
            known[alias] = [_missing(one) if may_be_missing else one for one in columns]
        return known

    def _joined(self, first: Any, joins: list[Any]) -> list[tuple[Any, bool]]:
        """List what a FROM takes rows from, with whether an outer join may leave its columns empty."""
        parts = self._nested(first) if first is not None else []
        for join in joins:
            side = (join.side or "").upper()
            if side in ("RIGHT", "FULL"):
                parts = [(one, True) for one, _ in parts]
            parts += [(one, missing or side in ("LEFT", "FULL")) for one, missing in self._nested(join.this)]
        return parts

    def _nested(self, one: Any) -> list[tuple[Any, bool]]:
        from sqlglot import exp

        if (
            isinstance(one, (exp.Subquery, exp.Paren))
            and isinstance(one.this, (exp.Table, exp.Subquery, exp.Paren))
            and not one.alias
        ):
            return self._joined(one.this, [*(one.this.args.get("joins") or []), *(one.args.get("joins") or [])])
        if isinstance(one, exp.Table) and one.args.get("joins"):
            return [(one, False), *self._joined(None, one.args["joins"])]
        return [(one, False)]

    def _source(self, one: Any, names: dict[str, list[Column]]) -> list[Column]:
        from sqlglot import exp

        if isinstance(one, exp.Table):
            if not one.db and one.name.lower() in names:
                return names[one.name.lower()]
            path = _folded(self._script, one.args.get("db")), _folded(self._script, one.this)
            draft = self._script.find(*path) or self._script.find_former(*path)
            if draft is None or draft is self._draft:
                self.misses = True
                return []
            self.misses = self.misses or draft.query not in ("", "partition")
            _settle(self._script, draft, self._pending, self._under_way)
            return draft.table.columns
        if isinstance(one, (exp.Subquery, exp.Select, exp.SetOperation)):
            return self._of(one.this if isinstance(one, exp.Subquery) else one, names)
        return []

    def _projection(self, expression: Any, known: dict[str, list[Column]]) -> list[Column]:
        from sqlglot import exp

        alias = expression.args.get("alias")
        inner = expression.this if isinstance(expression, exp.Alias) else expression
        if isinstance(inner, exp.Star) or (isinstance(inner, exp.Column) and isinstance(inner.this, exp.Star)):
            table = inner.table.lower() if isinstance(inner, exp.Column) else ""
            sources = [known.get(table, [])] if table else list(known.values())
            return [self._as_shown(one.name, one) for columns in sources for one in columns]
        name = (
            _folded(self._script, alias)
            if alias
            else (_folded(self._script, inner.this) if isinstance(inner, exp.Column) else "")
        )
        if not name:
            name = self._unnamed(inner)
        kept = inner
        while isinstance(kept, (exp.Min, exp.Max, exp.Coalesce, exp.Paren)):  # these have the type of what they look at
            kept = kept.this
        column = self._lookup(kept, known) if isinstance(kept, exp.Column) else None
        if column is not None and kept is not inner:
            return [Column(name, 0, column.type, collation=column.collation)]
        if column is not None:
            spelled = column.name if not alias and self._script.dialect.views_spell_as_tables else name
            return [self._as_shown(spelled, column)]
        if isinstance(inner, exp.Cast):
            written = inner.to.sql(dialect=self._script.dialect.parser or None)
            return [Column(name, 0, self._script.dialect.canonical_type(written))]
        return [Column(name, 0, "")]

    def _as_shown(self, name: str, column: Column) -> Column:
        """Return a column that a query shows as it is, with its comment where the platform keeps that."""
        shown, dialect = _shown(name, column), self._script.dialect
        if dialect.view_columns_keep_comments or "comment" in dialect.query_keeps:
            shown.comment = column.comment
        return shown

    def _unnamed(self, inner: Any) -> str:
        from sqlglot import exp

        if isinstance(inner, exp.Cast):
            return (
                self._unnamed(inner.this)
                if not isinstance(inner.this, exp.Column)
                else _folded(self._script, inner.this.this)
            )
        if isinstance(inner, exp.Func):
            return str(inner.name if isinstance(inner, exp.Anonymous) else inner.sql_name()).lower()
        return str(inner.sql(dialect=self._script.dialect.parser or None))[:63]

    def _lookup(self, inner: Any, known: dict[str, list[Column]]) -> Column | None:
        key = self._script.dialect.key
        wanted = key(_folded(self._script, inner.this))
        sources = [known.get(inner.table.lower(), [])] if inner.table else list(known.values())
        for columns in sources:
            for column in columns:
                if key(column.name) == wanted:
                    return column
        return None


def _folded(script: Script, identifier: Any) -> str:
    if identifier is None:
        return ""
    name: str = identifier.name if hasattr(identifier, "name") else str(identifier)
    quoted = bool(getattr(identifier, "args", {}).get("quoted"))
    if quoted or script.dialect.fold == "keep":
        return name
    return name.lower() if script.dialect.fold == "lower" else name.upper()
