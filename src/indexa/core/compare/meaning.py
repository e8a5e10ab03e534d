"""Expressions and queries that say the same in other words: as somebody wrote them, and as a server tells them back.

A server keeps what it understood: it adds brackets, casts of literals and of texts, the names of tables before columns, and
writes lists and patterns its own way. What both sides come to by the expression parser is compared, without all that.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import msgspec

from indexa.core import platforms
from indexa.core.compare.code import same_code, same_routine
from indexa.core.compare.forms import Form, Former
from indexa.core.compare.parsing import NOWHERE, parsed, told_in_full
from indexa.core.model import (
    Check,
    Domain,
    Exclusion,
    ForeignKey,
    Index,
    Key,
    Model,
    Routine,
    SchemaInfo,
    Sequence,
    Table,
    Trigger,
)
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.words import bracket_depth

_MOMENT = re.compile(r"'\s*::\s*(?:date|time)", re.I)
"""A literal that a server tells as a date or time: it adds the seconds, the time of day and the time zone that nobody wrote."""
_TEXT_CAST = re.compile(r"""('(?:[^']|'')*')::text\b(?!\[)|"(?:[^"]|"")*"|'(?:[^']|'')*'""")
_LONGEST, _MOST_BRACKETS, _DEEPEST, _MOST_PLACES = 20_000, 2_000, 100, 50
"""Of a text that is parsed, by judgement, as are the depth of its brackets and the places in lists one behind the other ("a[1][2]"), for
which the parser takes long: any other is compared letter by letter."""


class Meanings:
    """Says what two models tell in other words but mean alike."""

    def __init__(self, before: Model, after: Model) -> None:
        self._before, self._after = _Side(before), _Side(after)
        self.names_are_made_up = any(
            side.dialect is not None and side.dialect.names_constraints == "duckdb"
            for side in (self._before, self._after)
        )
        """Whether a platform forgets what keys and checks are called, and makes up names of its own."""

    def same_expression(self, was: str | None, now: str | None) -> bool:
        """Return whether two expressions mean the same; what can't be parsed does only letter by letter."""
        if was == now:
            return True
        if not was or not now:
            return False
        casts_moments = _MOMENT.search(was) is not None or _MOMENT.search(now) is not None
        form = _expression_form(was, self._before.dialect, casts_moments)
        return form is not None and form == _expression_form(now, self._after.dialect, casts_moments)

    def same_partitioning(self, was: str, now: str) -> bool:
        """Return whether two tables are parted alike: by the same way, and by columns and expressions that mean the same."""
        (how, columns), (other_how, other_columns) = (
            text.split("(", 1) if "(" in text else (text, "") for text in (was, now)
        )
        if how.split() != other_how.split() and how.upper().split() != other_how.upper().split():
            return False
        return self.same_expression(f"({columns}", f"({other_columns}")

    def same_partitions(self, was: Table, now: Table) -> bool:
        """Return whether two tables are stored in partitions of the same names, each of which holds the same rows."""
        return len(was.partitions) == len(now.partitions) and all(
            _alike(one, other, "bound") and same_code(one.bound, other.bound, was.schema)
            for one, other in zip(was.partitions, now.partitions, strict=True)
        )

    def same_query(self, was: Table, now: Table) -> bool:
        """Return whether the queries of two views show the same columns of the same rows."""
        if was.definition_sql == now.definition_sql:
            return True
        if not was.definition_sql or not now.definition_sql:
            return False
        form = _query_form(was, self._before)
        return form is not None and form == _query_form(now, self._after)

    def same_part(self, was: Any, now: Any, schema: str = "") -> bool:
        """Return whether two parts of a table, which lies in a schema, differ in the words of their expressions at most."""
        if was == now:
            return True
        if type(was) is not type(now):
            return False
        if self.names_are_made_up and isinstance(was, (Check, ForeignKey, Key)):
            was = msgspec.structs.replace(was, name=now.name)
        if isinstance(was, Check):
            return _alike(was, now, "expression") and self.same_expression(was.expression, now.expression)
        if isinstance(was, Index):
            return (
                _alike(was, now, "parts", "predicate")
                and len(was.parts) == len(now.parts)
                and self.same_expression(was.predicate, now.predicate)
                and all(
                    _alike(one, other, "expression") and self.same_expression(one.expression, other.expression)
                    for one, other in zip(was.parts, now.parts, strict=True)
                )
            )
        if isinstance(was, Trigger):
            return _alike(was, now, "definition", "routine") and same_code(
                was.definition, now.definition, schema, self._after.dialect
            )
        if isinstance(was, Exclusion):
            return _alike(was, now, "predicate") and self.same_expression(was.predicate, now.predicate)
        return bool(was == now)

    def same_object(self, was: Any, now: Any) -> bool:
        """Return whether two objects that belong to no table differ in words at most, or in an owner that one side does not know."""
        if was == now:
            return True
        if type(was) is not type(now):
            return False
        if isinstance(was, (Sequence, SchemaInfo)) and not (was.owner and now.owner):
            return _alike(was, now, "owner")
        if isinstance(was, Domain):
            return (
                _alike(was, now, "checks", "default")
                and self.same_expression(was.default, now.default)
                and len(was.checks) == len(now.checks)
                and all(self.same_part(*pair) for pair in zip(was.checks, now.checks, strict=True))
            )
        return (
            isinstance(was, Routine)
            and self._after.dialect is not None
            and was.comment == now.comment
            and same_routine(was, now, self._after.dialect)
        )


def _alike(was: Any, now: Any, *but: str) -> bool:
    return bool(msgspec.structs.replace(was, **{field: getattr(now, field) for field in but}) == now)


class _Side:
    """One of the two models: its dialect, and the columns of its tables as queries need them."""

    def __init__(self, model: Model) -> None:
        self.dialect = platforms.dialect_of(model.platform)
        self._model = model
        self._tables: dict[tuple[str, str], Table] | None = None

    def columns_of(self, schema: str, table: str) -> list[str]:
        if self._tables is None:
            self._tables = {(one.schema.lower(), one.name.lower()): one for one in self._model.tables}
        found = self._tables.get((schema.lower(), table.lower()))
        return [one.name for one in found.columns] if found else []


@lru_cache(maxsize=20_000)
def _plainer(text: str, dialect: Dialect) -> str:
    """Return a text without the casts of literals to texts that PostgreSQL adds, which hide units and the like from the parser."""
    if dialect.parser != "postgres" or "::" not in text:
        return text
    return _TEXT_CAST.sub(lambda found: found[1] or found[0], text)


def _expression_form(text: str, dialect: Dialect | None, shortens_moments: bool) -> Form | None:
    if dialect is None or not _may_be_parsed(text):
        return None
    return _formed(
        lambda: Former(dialect, shortens_moments=shortens_moments).of(parsed(_plainer(text, dialect), dialect))
    )


def _query_form(view: Table, side: _Side) -> Form | None:
    dialect, text = side.dialect, view.definition_sql.strip().rstrip(";")
    if dialect is None or not _may_be_parsed(text):
        return None

    def form() -> Form:
        query = told_in_full(parsed(_plainer(text, dialect), dialect), view, side.columns_of, dialect)
        return Former(dialect, home=view.schema or NOWHERE).of(query)

    return _formed(form)


def _may_be_parsed(text: str) -> bool:
    if len(text) > _LONGEST or text.count("(") > _MOST_BRACKETS or text.count("][") > _MOST_PLACES:
        return False
    return bracket_depth(text) <= _DEEPEST


def _formed(form: Callable[[], Form]) -> Form | None:
    """Return the form of a text; None for one that the library can't parse, stumbles over, or tells otherwise than it does usually."""
    from sqlglot.errors import SqlglotError

    try:
        return form()
    except (SqlglotError, RecursionError, ValueError, LookupError, AttributeError, TypeError):
        return None
