"""What a parsed expression or query comes to: nested tuples that are the same for the same meaning."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal, InvalidOperation
from functools import lru_cache
from typing import Any

from indexa.core.scripts.dialect import Dialect

_MOST_DIGITS = 40
_MOMENT = re.compile(r"(?:\d{4}-\d\d-\d\d)?(?:^| |$)(?:\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:[+-]\d\d(?::\d\d)?)?)?")
_GREENWICH = re.compile(r"(?<=:\d\d)[+-]00(?::00)?$")
Form = Any
"""Nested tuples."""
_READ = frozenset((
    "this", "expression", "expressions", "quoted", "is_string", "table", "db", "catalog", "to", "low", "high", "symmetric", "alias",
    "big_int", "query", "unnest", "field", "negate",
))  # fmt: skip
"""What of nodes the ways below look at: a node that says more is told with all that it says."""


class Former:
    """Brings a parsed text to its form; `home` is the schema of the view whose query it is, None for an expression.

    With `shortens_moments` texts that look like times are told without what a server adds to them, cast or not.
    """

    def __init__(self, dialect: Dialect, home: str | None = None, shortens_moments: bool = False) -> None:
        from sqlglot import exp

        self._dialect, self._home, self._shortens_moments = dialect, home, shortens_moments
        self._ways: dict[type, Callable[[Any], Form]] = {
            exp.Paren: lambda node: self.of(node.this),
            exp.Identifier: self._name,
            exp.Column: self._column,
            exp.Literal: self._literal,
            exp.ByteString: self._escaped,
            exp.RawString: self._escaped,
            exp.National: lambda node: ("literal", node.this, True),
            exp.Introducer: lambda node: self.of(node.expression),
            exp.Neg: self._negative,
            exp.Cast: self._cast,
            exp.Not: lambda node: _not(self.of(node.this)),
            exp.Is: lambda node: ("is", *self._pair(node)),
            exp.In: self._in,
            exp.EQ: self._equal,
            exp.NEQ: lambda node: _not(self._equal(node)),
            exp.Between: self._between,
            exp.LT: lambda node: _not(_at_most(*reversed(self._pair(node)))),
            exp.LTE: lambda node: _at_most(*self._pair(node)),
            exp.GT: lambda node: _not(_at_most(*self._pair(node))),
            exp.GTE: lambda node: _at_most(*reversed(self._pair(node))),
            exp.And: lambda node: _both(self._pair(node)),
            exp.Or: lambda node: _either(self._pair(node)),
            exp.Extract: lambda node: ("extract", node.this.name.upper(), self.of(node.expression)),
            exp.Anonymous: self._call,
            exp.Alias: self._alias,
            exp.Count: self._count,
        }
        self._whole: dict[type, Callable[[Any], Form]] = {
            exp.Table: self._table, exp.Join: self._join, exp.Trim: self._trim, exp.Interval: self._interval,
        }  # fmt: skip
        self._comparisons = (exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE)
        self._adds_casts = dialect.parser in ("postgres", "redshift")
        self._compared = (*self._comparisons, exp.Between, exp.Add, exp.Sub, exp.Mul, exp.Coalesce)

    def of(self, node: Any) -> Form:
        """Return the form of a node, of a list of them, or of a plain value."""
        from sqlglot import exp

        if isinstance(node, list):
            return self._each(node)
        if not isinstance(node, exp.Expression):
            return node
        way = self._whole.get(type(node))
        if way is None and all(name in _READ for name, value in node.args.items() if value not in (None, False, [])):
            way = self._ways.get(type(node))
        if isinstance(node, self._comparisons) and (quantified := _quantified(node.expression)) is not None:
            form = self._with_any_or_all(node, *quantified)
        else:
            form = self._plainly(node) if way is None else way(node)
        return _not(form) if node.args.get("negate") else form

    def _plainly(self, node: Any) -> Form:
        return (type(node).__name__, tuple(sorted(self._told(node, "negate").items())))

    def _told(self, node: Any, *but: str) -> dict[str, Form]:
        """Return the forms of what a node is made of, by their names."""
        return {
            name: self.of(value)
            for name, value in node.args.items()
            if name not in but and value not in (None, False, [])
        }

    def _each(self, nodes: Sequence[Any]) -> tuple[Form, ...]:
        return tuple(self.of(one) for one in nodes)

    def _name(self, node: Any) -> Form:
        dialect = self._dialect
        is_as_kept = node.quoted or self._home is not None  # a query was told in full names before
        return ("name", dialect.key(node.name if is_as_kept else dialect.folded(node.name)))

    def _column(self, node: Any) -> Form:
        table = node.args.get("table") if self._home is not None else None
        return ("column", self.of(table) if table is not None else "", self.of(node.this))

    def _literal(self, node: Any) -> Form:
        if not node.is_string:
            return ("literal", _number(node.this), False)
        return ("literal", _short_moment(node.this) if self._shortens_moments else node.this, True)

    def _escaped(self, node: Any) -> Form:
        """Return a text that was written with escapes or between dollars as the text that it stands for; with escapes that the parser
        leaves, as it is."""
        if not self._adds_casts:
            return self._plainly(node)
        return ("escaped" if "\\" in node.this else "literal", node.this, True)

    def _interval(self, node: Any) -> Form:
        unit = node.args.get("unit")
        if unit is None or not getattr(node.this, "is_string", False):
            return self._plainly(node)
        return ("interval", _span(f"{node.this.name} {unit.name}"))

    def _trim(self, node: Any) -> Form:
        told = self._told(node)
        if told.get("position") == "BOTH":
            del told["position"]
        return ("trim", tuple(sorted(told.items())))

    def _negative(self, node: Any) -> Form:
        inner = self.of(node.this)
        if inner[0] == "literal" and not inner[2]:
            number = inner[1].removeprefix("-")
            return ("literal", number if number == "0" or inner[1] != number else f"-{number}", False)
        return ("Neg", inner)

    def _cast(self, node: Any) -> Form:
        """Return what is cast, where the cast is one that servers add: of a literal, to a text, or wider to compare."""
        from sqlglot import exp

        inner, to = node.this.unnest(), node.to
        form = self.of(inner)
        kind, is_plain = to.this, not to.expressions
        if kind == exp.DType.ARRAY and to.expressions and not to.expressions[0].expressions:
            kind, is_plain = to.expressions[0].this, True
        if form[0] == "literal" and to.sql() == "INTERVAL":
            return ("interval", _span(form[1]))
        if form[0] == "literal" and is_plain:
            if kind in exp.DataType.NUMERIC_TYPES:
                return ("literal", _number(form[1]), False)
            return ("literal", _short_moment(form[1]) if kind in exp.DataType.TEMPORAL_TYPES else form[1], True)
        if self._adds_casts and is_plain and kind in _texts():
            return form
        if self._adds_casts and is_plain and kind in _wide() and self._is_only_to_compare(node):
            return form
        return ("cast", form, to.sql())

    def _is_only_to_compare(self, cast: Any) -> bool:
        """Return whether a wider type changes nothing: it does where it is divided, in whole numbers or not."""
        from sqlglot import exp

        outer = _around(cast)
        if not isinstance(outer, self._compared):
            return False
        while isinstance(outer, (exp.Paren, exp.Add, exp.Sub, exp.Mul, exp.Neg, exp.Coalesce)):
            outer = outer.parent
        return not isinstance(outer, (exp.Div, exp.Mod, exp.IntDiv))

    def _in(self, node: Any) -> Form:
        if node.args.get("query") or node.args.get("unnest") or node.args.get("field"):
            return (
                "in query",
                self.of(node.this),
                *(self.of(node.args.get(one)) for one in ("query", "unnest", "field")),
            )
        return _among(self.of(node.this), self._each(node.expressions))

    def _with_any_or_all(self, node: Any, word: str, values: Any) -> Form:
        """Return a comparison with any or all of some values; its opposite is no comparison with the same word."""
        from sqlglot import exp

        held = values
        while isinstance(held, (exp.Paren, exp.Cast)):
            held = held.this
        if isinstance(held, exp.Array) and (type(node), word) in ((exp.EQ, "any"), (exp.NEQ, "all")):
            form = _among(self.of(node.this), self._each(held.expressions))
            return form if word == "any" else _not(form)
        return (type(node).__name__, word, self.of(node.this), self.of(values))

    def _equal(self, node: Any) -> Form:
        one, other = self._pair(node)
        if other[0] == "literal":
            return _among(one, (other,))
        if one[0] == "literal":
            return _among(other, (one,))
        return ("equal", _in_order((one, other)))

    def _between(self, node: Any) -> Form:
        what, low, high = self.of(node.this), self.of(node.args["low"]), self.of(node.args["high"])
        if node.args.get("symmetric"):
            return ("between", what, _in_order((low, high)))
        return _both((_at_most(low, what), _at_most(what, high)))

    def _pair(self, node: Any) -> tuple[Form, Form]:
        return self.of(node.this), self.of(node.expression)

    def _call(self, node: Any) -> Form:
        name = node.name.upper()
        if name == "OCTET_LENGTH" and self._dialect.parser == "mysql":  # what LENGTH is to it
            return ("Length", (("binary", True), ("this", self.of(node.expressions[0]))))
        return ("count", "*", ()) if name == "COUNT_STAR" else ("call", name, self._each(node.expressions))

    def _alias(self, node: Any) -> Form:
        """Return a value with what it is called, where that can be seen from outside."""
        return ("called", self.of(node.this), self._name(node.args["alias"])) if _is_seen(node) else self.of(node.this)

    def _count(self, node: Any) -> Form:
        inner = self.of(node.this)
        every = not isinstance(inner, tuple) or inner[0] in ("literal", "Star")
        return ("count", "*" if every else inner, self.of(node.args.get("expressions") or []))

    def _table(self, node: Any) -> Form:
        """Return a table; where it lies counts only if that is not where the view lies."""
        home = "" if node.db.lower() == (self._home or "").lower() else node.db.lower()
        return ("table", home, tuple(sorted(self._told(node, "db").items())))

    def _join(self, node: Any) -> Form:
        told = self._told(node)
        if told.get("kind") in ("INNER", "OUTER"):
            del told["kind"]
        return ("join", tuple(sorted(told.items())))


def _number(text: str) -> str:
    """Return a number without zeros that add nothing; what is none, as it is."""
    try:
        number = Decimal(text)
    except InvalidOperation:
        return text
    return format(number.normalize() + 0, "f") if number.is_finite() and abs(number.adjusted()) < _MOST_DIGITS else text


def _short_moment(text: str) -> str:
    """Return a date or time without the zone of Greenwich, without midnight after a date, and without whole minutes' seconds."""
    if not _MOMENT.fullmatch(text):
        return text
    short = _GREENWICH.sub("", text).removesuffix(" 00:00:00").removesuffix(" 00:00")
    return short.removesuffix(":00") if short.count(":") == 2 else short


def _span(text: str) -> str:
    """Return a length of time with its units in one form: "2 DAYS" as "2 day"."""
    return " ".join(word.removesuffix("s") for word in text.lower().split())


def _among(what: Form, values: Iterable[Form]) -> Form:
    return ("in", what, _in_order(set(values)))


def _at_most(one: Form, other: Form) -> Form:
    return ("at most", one, other)


def _both(forms: Iterable[Form]) -> Form:
    parts = [part for form in forms for part in (form[1] if form[0] == "and" else (form,))]
    return ("and", _in_order(set(parts))) if len(set(parts)) > 1 else parts[0]


def _either(forms: Iterable[Form]) -> Form:
    """Return alternatives; of several values of one column the list of them."""
    lists: dict[Form, set[Form]] = {}
    others = set()
    for form in [part for one in forms for part in (one[1] if one[0] == "or" else (one,))]:
        if form[0] == "in":
            lists.setdefault(form[1], set()).update(form[2])
        else:
            others.add(form)
    parts = {*others, *(_among(what, values) for what, values in lists.items())}
    return ("or", _in_order(parts)) if len(parts) > 1 else parts.pop()


def _not(form: Form) -> Form:
    """Return the opposite; of several conditions the opposites of each, which also holds where some are unknown."""
    if form[0] == "not":
        return form[1]
    if form[0] in ("and", "or"):
        return (_either if form[0] == "and" else _both)([_not(part) for part in form[1]])
    return ("not", form)


def _in_order(forms: Any) -> tuple[Form, ...]:
    return tuple(sorted(forms, key=repr))


def _quantified(values: Any) -> tuple[str, Any] | None:
    """Return "any" or "all" with the values that it is said of; None for a plain value."""
    from sqlglot import exp

    if isinstance(values, exp.Anonymous) and values.name.upper() in ("ALL", "ANY", "SOME") and values.expressions:
        return ("all" if values.name.upper() == "ALL" else "any"), values.expressions[0]
    if isinstance(values, (exp.Any, exp.All)):
        return ("any" if isinstance(values, exp.Any) else "all"), values.this
    return None


def _around(node: Any) -> Any:
    """Return what a node stands in, brackets left aside."""
    from sqlglot import exp

    outer = node.parent
    while isinstance(outer, exp.Paren):
        outer = outer.parent
    return outer


def _is_seen(alias: Any) -> bool:
    """Return whether a query shows what a value is called: not in a query that is a value, nor in the second of a union."""
    from sqlglot import exp

    query = alias.parent
    if not isinstance(query, exp.Select):
        return True
    while isinstance(query.parent, exp.SetOperation):
        if query.parent.this is not query:
            return False
        query = query.parent
    around = query.parent
    if isinstance(around, exp.Subquery):
        return isinstance(around.parent, (exp.From, exp.Join, exp.Subquery, exp.SetOperation))
    return not isinstance(around, (exp.Exists, exp.In))


@lru_cache(maxsize=1)
def _texts() -> frozenset[Any]:
    from sqlglot import exp

    return frozenset((exp.DType.TEXT, exp.DType.VARCHAR, exp.DType.NVARCHAR, exp.DType.BPCHAR, exp.DType.NAME))


@lru_cache(maxsize=1)
def _wide() -> frozenset[Any]:
    """Types that a server casts to when it compares a narrower one."""
    from sqlglot import exp

    return frozenset(
        (exp.DType.DECIMAL, exp.DType.DOUBLE, exp.DType.BIGINT, exp.DType.TIMESTAMP, exp.DType.TIMESTAMPTZ)
    )
