"""What has to be done to each table and object, worked out from a comparison, before it is put into words and order."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection
from typing import Any

import msgspec

from indexa.core.compare.comparing import APART, Comparison, object_id, objects_by_key
from indexa.core.compare.differences import Difference
from indexa.core.compare.matching import TableMatch
from indexa.core.ddl.types import plain
from indexa.core.model import VIEW_KINDS, Column, Table
from indexa.core.model.translating import translated

_WORD = re.compile(r"\w+")
_ANY: frozenset[str] = frozenset({"*"})
"""Whatever column of a table."""
_NUMBERS = frozenset({"small", "integer", "big", "decimal"})
_DIGITS = 10
_LITERAL = re.compile(r"'[^']*'|[-+]?[\d.]+")
"""A default that would be the same in all rows."""


class ColumnChange(msgspec.Struct):
    """A column that is in both states and not the same; `fields` are those that differ."""

    before: Column
    after: Column
    fields: tuple[str, ...]


class PartChange(msgspec.Struct):
    """A key, index, check or trigger that goes, comes, or is made anew; both sides are in their own names."""

    what: str
    before: Any
    after: Any
    id: str
    renamed: bool = False
    """Whether only its name differs."""


class TablePlan(msgspec.Struct):
    """What differs in a table that stays."""

    before: Table
    after: Table
    added: list[Column] = msgspec.field(default_factory=list)
    gone: list[Column] = msgspec.field(default_factory=list)
    renamed: list[tuple[str, str]] = msgspec.field(default_factory=list)
    changed: list[ColumnChange] = msgspec.field(default_factory=list)
    parts: list[PartChange] = msgspec.field(default_factory=list)
    fields: set[str] = msgspec.field(default_factory=set)
    """Members of the table that differ, and "order of columns"."""
    columns: dict[str, str] = msgspec.field(default_factory=dict)
    """Later name → earlier name."""
    ids: list[str] = msgspec.field(default_factory=list)

    @property
    def is_moved(self) -> bool:
        """Return whether it has another name or schema."""
        return (self.before.schema, self.before.name) != (self.after.schema, self.after.name)

    def reached(self, *, drops: bool) -> set[str]:
        """Return the columns, by their earlier names, that lose or change what views rest on."""
        found = {one.before.name for one in self.changed if set(one.fields) & {"type", "generated", "collation"}}
        found |= {old for old, _ in self.renamed}
        return found | ({column.name for column in self.gone} if drops else set())


class ObjectChange(msgspec.Struct):
    """A type, sequence, routine or schema that goes, comes or changes."""

    what: str
    before: Any
    after: Any
    id: str


class Plan(msgspec.Struct):
    """All that has to be done."""

    comparison: Comparison
    new: list[Table]
    gone: list[Table]
    tables: list[TablePlan]
    """Tables that stay and differ."""
    new_views: list[Table]
    gone_views: list[Table]
    objects: list[ObjectChange]
    ids: dict[str, Difference]

    def after_name(self, name: tuple[str, str]) -> tuple[str, str]:
        """Return what a table of the earlier state is called in the later one."""
        return self.comparison.forward.tables.get(name, name)


def plan(comparison: Comparison, *, drops: bool) -> Plan:
    """Work out what has to be done to bring the earlier state to the later one; `drops` says whether columns go."""
    ids = {one.id: one for one in comparison.differences}
    matches = comparison.matches
    of_table: dict[tuple[str, str], list[str]] = defaultdict(list)
    for difference in comparison.differences:
        of_table[difference.schema, difference.table].append(difference.id)
    made = Plan(comparison, [], [], [], [], [], _objects(comparison, ids), ids)
    views: list[TablePlan] = []
    for table in comparison.after.tables:
        match = matches.by_after.get((table.schema, table.name))
        if match is None:
            (made.new_views if table.kind in VIEW_KINDS else made.new).append(table)
            continue
        name = (match.before.schema, match.before.name)
        if table.kind not in VIEW_KINDS and match.same and name not in of_table and not comparison.forward:
            continue
        one = _of_table(match, comparison, ids)
        one.ids = of_table.get(name, [])
        if (match.before.kind in VIEW_KINDS) != (match.after.kind in VIEW_KINDS):
            (made.gone_views if match.before.kind in VIEW_KINDS else made.gone).append(match.before)
            (made.new_views if match.after.kind in VIEW_KINDS else made.new).append(match.after)
        elif match.after.kind in VIEW_KINDS:
            views.append(one)
        elif one.ids or one.is_moved:
            made.tables.append(one)
    for table in comparison.before.tables:
        if (table.schema, table.name) not in matches.by_before:
            (made.gone_views if table.kind in VIEW_KINDS else made.gone).append(table)
    _views_in_the_way(made, views, drops=drops)
    return made


def _of_table(match: TableMatch, comparison: Comparison, ids: Collection[str]) -> TablePlan:
    match.fill()
    before, after = match.before, match.after
    name = (before.schema, before.name)
    made = TablePlan(before, after, columns=dict(match.columns))
    earlier = {column.name: column for column in before.columns}
    for column in after.columns:
        old = match.columns.get(column.name)
        if old is None:
            made.added.append(column)
            continue
        if old != column.name:
            made.renamed.append((old, column.name))
        fields = tuple(
            field
            for field in ("type", "nullable", "default", "comment", "identity", "generated", "collation")
            if f"column:{before.full_name}:{old}.{field}" in ids
        )
        if fields:
            made.changed.append(ColumnChange(earlier[old], column, fields))
    kept = set(match.columns.values())
    made.gone = [column for column in before.columns if column.name not in kept]
    if [c.name for c in before.columns if c.name in kept] != [
        match.columns[c.name] for c in after.columns if c.name in match.columns
    ]:
        made.fields.add("order of columns")
    for part in comparison.parts.get(name, ()):
        if part.id not in ids:
            continue
        told = translated(part.before, name, comparison.forward) if part.before is not None else None
        renamed = (
            told is not None
            and part.after is not None
            and comparison.meanings.same_part(msgspec.structs.replace(told, name=part.after.name), part.after)
        )
        made.parts.append(PartChange(part.what, part.before, part.after, part.id, renamed))
    for field in ("comment", "options", "partition_by", "partitions", "inherits", "unlogged", "definition_sql"):
        if f"table:{before.full_name}.{field}" in ids:
            made.fields.add(field)
    return made


def _objects(comparison: Comparison, ids: dict[str, Difference]) -> list[ObjectChange]:
    found = []
    for what, member in APART.items():
        earlier, later = objects_by_key(comparison.before, member), objects_by_key(comparison.after, member)
        for key in dict.fromkeys((*earlier, *later)):
            id_ = object_id(what, key)
            if id_ in ids:
                found.append(ObjectChange(what, earlier.get(key), later.get(key), id_))
    return found


def _views_in_the_way(made: Plan, views: list[TablePlan], *, drops: bool) -> None:
    """Have views that rest on what changes dropped before and made again after, and those that rest on them."""
    reached = {table.name.lower(): _ANY for table in (*made.gone, *made.gone_views)}
    for one in made.tables:
        if one.is_moved:
            reached[one.before.name.lower()] = _ANY
        elif columns := one.reached(drops=drops):
            reached[one.before.name.lower()] = frozenset(name.lower() for name in columns)
    for change in made.objects:
        if change.what == "routine" and change.before is not None:
            reached[change.before.name.lower()] = _ANY
    again = [one for one in views if any(not id_.endswith(".comment") for id_ in one.ids) or one.is_moved]
    waiting = [one for one in views if one not in again]
    found = True
    while found:
        reached |= {one.before.name.lower(): _ANY for one in again}
        in_the_way = [one for one in waiting if _rests_on(one.before.definition_sql, reached)]
        again += in_the_way
        waiting = [one for one in waiting if one not in in_the_way]
        found = bool(in_the_way)
    made.gone_views += [one.before for one in again]
    made.new_views += [one.after for one in again]


def _rests_on(query: str, reached: dict[str, frozenset[str]]) -> bool:
    """Return whether a query mentions one of the tables with one of the columns that change, as far as its words tell."""
    words = {word.lower() for word in _WORD.findall(query)}
    return any(reached[name] is _ANY or "*" in query or reached[name] & words for name in words & reached.keys())


def is_numbered(table: TablePlan, column: Column, platform: str) -> bool:
    """Return whether a new column is a key of its own, so that rows that are there need a value each: a number, if it has room."""
    kind = plain(column.type, platform)
    own = column.default is not None and _LITERAL.fullmatch(column.default.strip()) is None
    if column.nullable or own or column.identity or column.generated is not None:
        return False
    keys = [key.columns for key in (table.after.primary_key, *table.after.unique) if key]
    has_room = kind is not None and (
        kind.kind in _NUMBERS or (kind.kind in ("varchar", "text") and not 0 <= kind.length < _DIGITS)
    )
    return has_room and (column.name,) in keys
