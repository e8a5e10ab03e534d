"""The names that platforms make up for constraints and indexes that are given none."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable

from indexa.core.model import Check, Domain, ForeignKey, Index, IndexPart, Table
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.words import names_in

_LONGEST_NAME = 63


def name_constraints(dialect: Dialect, table: Table, is_taken: Callable[[str], bool]) -> None:
    """Give constraints and indexes without a name the one that the platform makes up, if it does.

    `is_taken` says whether another table of the schema has a constraint or index of a name.
    """
    if not dialect.names_constraints:
        return
    if dialect.names_constraints == "mysql":
        _name_like_mysql(table)
        return
    ours = dialect.names_constraints == "duckdb"  # there the names hold all columns, those referred to as well
    taken = names_of_parts(table)

    def free(base: str) -> str:
        name, number = base, 0
        while name in taken or is_taken(name):
            number += 1
            name = f"{base}{number}"
        taken.add(name)
        return name

    if table.primary_key and not table.primary_key.name:
        table.primary_key.name = free(
            made_name(table.name, "_".join(table.primary_key.columns) if ours else "", "pkey")
        )
    for key in table.unique:
        key.name = key.name or free(made_name(table.name, "_".join(key.columns), "key"))
    for foreign in table.foreign_keys:
        foreign.name = foreign.name or free(
            made_name(table.name, "_".join((*foreign.columns, *(foreign.ref_columns if ours else ()))), "fkey")
        )
    for check in table.checks:
        if not check.name:
            check.name = free(made_name(table.name, _named_by(check, table, dialect, each_time=ours), "check"))
    for exclusion in table.exclusions:
        columns = "_".join(_first_name(element, dialect) for element in exclusion.elements)
        exclusion.name = exclusion.name or free(made_name(table.name, columns, "excl"))
    for index in table.indexes:
        columns = _each_once([*(part.column or _called(part.expression) for part in index.parts), *index.included])
        index.name = index.name or free(made_name(table.name, columns, "idx"))


def names_of_parts(table: Table) -> set[str]:
    """Return what a table's keys, checks and indexes are called."""
    parts = [*table.unique, *table.checks, *table.foreign_keys, *table.exclusions, *table.indexes]
    return {one.name for one in parts} | ({table.primary_key.name} if table.primary_key else set())


def _named_by(check: Check, table: Table, dialect: Dialect, *, each_time: bool) -> str:
    """Return what a check is named by: each column every time it stands there, or its column, where it has only one."""
    columns = {dialect.key(column.name): column.name for column in table.columns}
    words = [dialect.key(name) for name in names_in(check.expression, dialect)]
    if each_time:
        return "_".join(word for word in words if word in columns)
    named = [columns[word] for word in dict.fromkeys(words) if word in columns]
    return named[0] if len(named) == 1 else ""


def _each_once(names: list[str]) -> str:
    """Join names; one that is there already gets a number."""
    text: list[str] = []
    for name in names:
        number = 0
        while f"{name}{number or ''}" in text:
            number += 1
        text.append(f"{name}{number or ''}")
    return "_".join(text)


_CALL = re.compile(r"[\s(]*([a-z_]\w*)\s*\(", re.I)


def _called(expression: str) -> str:
    """Return what an expression is called in an index's name: the function that it calls, or expr."""
    call = _CALL.match(expression)
    return call[1].lower() if call and _is_closed_at_end(expression[call.end() - 1 :].rstrip(") ")) else "expr"


def _is_closed_at_end(rest: str) -> bool:
    """Say whether brackets that open in a text are not closed before its end."""
    depth = 0
    for letter in rest:
        depth += {"(": 1, ")": -1}.get(letter, 0)
        if depth == 0:
            return False
    return True


def _first_name(element: str, dialect: Dialect) -> str:
    """Return the column that an element of an exclusion begins with, or expr."""
    return next(iter(names_in(element, dialect)), "expr")


def name_checks(domain: Domain) -> None:
    """Give the conditions of a domain that have no name the one that PostgreSQL makes up."""
    taken = {check.name for check in domain.checks}
    for check in domain.checks:
        number = 0
        while not check.name:
            name = made_name(domain.name, "", f"check{number or ''}")
            check.name = "" if name in taken else name
            number += 1
        taken.add(check.name)


def _name_like_mysql(table: Table) -> None:
    if table.primary_key:
        table.primary_key.name = "PRIMARY"
    names = [*(key.name for key in table.unique), *(index.name for index in table.indexes)]
    if not all(names):
        taken = Counter(names)
        for key in table.unique:
            key.name = key.name or _numbered(key.columns[0] if key.columns else "", taken)
        for index in table.indexes:
            index.name = index.name or _numbered(index.parts[0].column if index.parts else "", taken)
    start = f"{table.name}_ibfk_"
    given = [one.name.removeprefix(start) for one in table.foreign_keys if one.name.startswith(start)]
    number = max((int(one) for one in given if one.isdecimal()), default=0)
    for foreign in table.foreign_keys:
        if not foreign.name:
            number += 1
            foreign.name = f"{start}{number}"
    number, known = 1, {check.name for check in table.checks}
    for check in table.checks:
        while not check.name:
            check.name = "" if f"CONSTRAINT_{number}" in known else f"CONSTRAINT_{number}"
            number += 1


def name_foreign_indexes(dialect: Dialect, table: Table) -> None:
    """Add the indexes that the platform makes for foreign keys, and settle how the engine's indexes work."""
    if dialect.names_constraints != "mysql":
        return
    for foreign in table.foreign_keys:
        index_foreign_key(dialect, table, foreign)
    if {option.upper() for option in table.options} & {"ENGINE=MEMORY", "ENGINE=HEAP"}:
        for index in table.indexes:
            index.method = index.method or "hash"


def _numbered(base: str, taken: Counter[str]) -> str:
    name, number = base, 1
    while taken[name]:
        number += 1
        name = f"{base}_{number}"
    taken[name] += 1
    return name


def index_foreign_key(dialect: Dialect, table: Table, foreign: ForeignKey) -> None:
    """Add the index that the platform makes for a foreign key which no index begins with."""
    if dialect.names_constraints != "mysql":
        return
    known = [key.columns for key in table.unique]
    known += [tuple(part.column for part in index.parts) for index in table.indexes]
    if table.primary_key:
        known.append(table.primary_key.columns)
    columns = foreign.columns
    if not any(names[: len(columns)] == columns for names in known):
        name = foreign.name
        if name.startswith(f"{table.name}_ibfk_"):  # a key without a name of its own
            taken = Counter([*(key.name for key in table.unique), *(index.name for index in table.indexes)])
            name = _numbered(columns[0], taken)
        table.indexes.append(Index(name=name, parts=tuple(IndexPart(column=name) for name in columns)))


def made_name(table: str, columns: str, ending: str) -> str:
    """Join the parts as PostgreSQL does: the longer of the two is shortened until all fits 63 bytes."""
    overhead = len(ending) + 1 + (1 if columns else 0)
    while len(table.encode()) + len(columns.encode()) + overhead > _LONGEST_NAME:
        if len(table) > len(columns):
            table = table[:-1]
        else:
            columns = columns[:-1]
    return "_".join(part for part in (table, columns, ending) if part)
