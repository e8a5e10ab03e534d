"""Parsing expressions and queries, and telling a query in full: each column with its table, no star, no bracket too many."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from indexa.core.model import Table
from indexa.core.scripts.dialect import Dialect

NOWHERE = "home"
"""The schema of a view without one, to the parser."""
ColumnsOf = Callable[[str, str], list[str]]
"""The columns of a table, by schema and name; none where it is not known."""


def parsed(text: str, dialect: Dialect) -> Any:
    """Return the tree of an expression or query. Raises SqlglotError, or whatever the library stumbles over, for what can't be parsed."""
    import sqlglot
    from sqlglot import exp
    from sqlglot.errors import ParseError

    logging.getLogger("sqlglot").setLevel(logging.ERROR)  # what it can't parse is compared letter by letter
    tree = sqlglot.parse_one(text, dialect=dialect.parser or None)
    if isinstance(tree, exp.Command):
        raise ParseError("not an expression")
    return tree


def told_in_full(tree: Any, view: Table, columns_of: ColumnsOf, dialect: Dialect) -> Any:
    """Return the query of a view in full names; each column that it shows is called what the view calls it."""
    from sqlglot import exp
    from sqlglot.optimizer.normalize_identifiers import normalize_identifiers

    _without_brackets(tree)
    parser = dialect.parser or None
    tree = normalize_identifiers(tree, dialect=parser)
    whole = _qualified(tree.copy(), view, columns_of, parser, None)
    shown = [column.name for column in view.columns]
    # A view does not follow a table that gets another column later, though its star would.
    tree = whole if _width(whole) == len(shown) else _qualified(tree, view, columns_of, parser, frozenset(shown))
    for query in tree.find_all(exp.Select):
        _order_by_values(query)
    first = _first_of(tree)
    if len(first.expressions) == len(view.columns):
        pairs = zip(first.expressions, view.columns, strict=True)
        called = [
            exp.Alias(this=one.unalias(), alias=exp.to_identifier(column.name, quoted=True)) for one, column in pairs
        ]
        first.set("expressions", called)
    return tree


def _qualified(tree: Any, view: Table, columns_of: ColumnsOf, parser: str | None, among: frozenset[str] | None) -> Any:
    """Return a query with full names and without stars, which stand for the columns that are known, `among` some or all."""
    from sqlglot import MappingSchema, exp
    from sqlglot.optimizer.normalize_identifiers import normalize_identifiers
    from sqlglot.optimizer.qualify import qualify

    schema: dict[str, Any] = {}
    for one in tree.find_all(exp.Table):
        home = one.db or view.schema
        if not one.alias and isinstance(one.this, exp.Identifier):  # the library would lose the capitals of its name
            one.set("alias", exp.TableAlias(this=exp.to_identifier(one.name, quoted=True)))
        columns = [name for name in columns_of(home, one.name) if among is None or name in among]
        named = [normalize_identifiers(exp.to_identifier(name, quoted=True), dialect=parser).name for name in columns]
        if named:
            schema.setdefault(home or NOWHERE, {})[one.name] = dict.fromkeys(named, "text")
    return qualify(
        tree, dialect=parser, db=view.schema or NOWHERE, schema=MappingSchema(schema, dialect=parser, normalize=False),
        validate_qualify_columns=False, quote_identifiers=False, identify=False,
    )  # fmt: skip


def _first_of(tree: Any) -> Any:
    """Return the query that names the columns: of a union the first."""
    from sqlglot import exp

    while isinstance(tree, (exp.SetOperation, exp.Subquery)):
        tree = tree.this
    return tree


def _width(tree: Any) -> int:
    return len(_first_of(tree).expressions)


def _without_brackets(tree: Any) -> None:
    """Take brackets off the first joins of each query and off the queries of a union, where they change nothing."""
    from sqlglot import exp

    for query in list(tree.find_all(exp.Select)):
        start = query.args.get("from_") or query.args.get("from")
        while start is not None and _is_bare(start.this, {"this", "joins"}, (exp.Table, exp.Subquery)):
            outer, inner = start.this, start.this.this
            joins = [
                *(inner.args.get("joins") or []),
                *(outer.args.get("joins") or []),
                *(query.args.get("joins") or []),
            ]
            inner.set("joins", None)
            query.set("joins", joins)
            start.set("this", inner)
    for union in list(tree.find_all(exp.SetOperation)):
        for side in ("this", "expression"):
            while _is_bare(union.args[side], {"this"}, (exp.Select,)):
                union.set(side, union.args[side].this)


def _is_bare(node: Any, holds: set[str], kinds: Any) -> bool:
    """Return whether a node is a pair of brackets around something of some kinds, and says nothing else."""
    from sqlglot import exp

    told = {name for name, value in node.args.items() if value not in (None, False, [])}
    inner: Any = node.this
    if not isinstance(node, exp.Subquery) or not told <= holds or not isinstance(inner, kinds):
        return False
    return not any(inner.args.get(one) for one in ("order", "limit", "offset", "with", "with_"))


def _order_by_values(query: Any) -> None:
    """Let a query be ordered by the values that it shows, not by what it calls them."""
    from sqlglot import exp

    shown = {one.alias: one.this for one in query.expressions if isinstance(one, exp.Alias)}
    for ordered in query.args["order"].expressions if query.args.get("order") else ():
        by = ordered.this
        if isinstance(by, exp.Column) and not by.table and by.name in shown:
            ordered.set("this", shown[by.name].copy())
