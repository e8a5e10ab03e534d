"""Rules for the structure of a model. Each looks at one table, with what the model knows beside it, and says what speaks against it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import msgspec

from indexa.core.ddl.types import plain
from indexa.core.model import VIEW_KINDS, Column, Model, Table
from indexa.core.naming.limits import longest, reserved
from indexa.core.naming.standard import Severity
from indexa.core.type_families import shorten


class Fault(msgspec.Struct, frozen=True, kw_only=True):
    """Something that a rule speaks against: where, and why in a sentence. `id` is the table's own, where it has one."""

    rule: str
    severity: Severity
    place: str
    why: str
    table: str = ""
    id: str = ""

    @property
    def fingerprint(self) -> str:
        """What is the same from one check to the next, for waivers and baselines."""
        return f"{self.rule}|{self.place}"


class _Known(NamedTuple):
    """What a rule may ask of the whole model."""

    model: Model
    tables: dict[tuple[str, str], Table]
    referred: set[tuple[str, str]]
    types: set[str]
    reserved: frozenset[str]
    longest: int


_Found = Iterator[tuple[str, str]]
"""Place and why of each fault of one table."""


class Rule(NamedTuple):
    """A rule: its id, what it asks, how much it weighs unless somebody says otherwise, and what finds its faults."""

    id: str
    asks: str
    severity: Severity
    find: Callable[[Table, _Known], _Found]


def _no_key(table: Table, known: _Known) -> _Found:
    if table.kind not in VIEW_KINDS and table.primary_key is None:
        also = ", though unique columns could be one" if table.unique else ""
        yield table.full_name, f"Nothing tells its rows apart{also}."


def _no_columns(table: Table, known: _Known) -> _Found:
    if not table.columns:
        what = "A view whose columns are not known." if table.kind in VIEW_KINDS else "It has no columns."
        yield table.full_name, what


def _no_type(table: Table, known: _Known) -> _Found:
    if table.kind in VIEW_KINDS:
        return
    for column in table.columns:
        if not column.type.strip():
            yield f"{table.full_name}.{column.name}", "It has no type."


def _meets_no_key(table: Table, known: _Known) -> _Found:
    for key in table.foreign_keys:
        parent = known.tables.get((key.ref_schema, key.ref_table))
        if parent is None:
            yield f"{table.full_name}.{key.name}", f"It refers to {key.ref_table}, which the model does not have."
            continue
        keys = [set(one.columns) for one in (parent.primary_key, *parent.unique) if one]
        keys += [
            {part.column for part in index.parts} for index in parent.indexes if index.unique and not index.predicate
        ]
        if set(key.ref_columns) not in keys:
            columns = ", ".join(key.ref_columns)
            yield (
                f"{table.full_name}.{key.name}",
                f"{columns} is no key of {parent.full_name}: it could mean several rows.",
            )


def _types_differ(table: Table, known: _Known) -> _Found:
    own = {column.name: column for column in table.columns}
    for key in table.foreign_keys:
        parent = known.tables.get((key.ref_schema, key.ref_table))
        theirs = {column.name: column for column in parent.columns} if parent else {}
        for name, ref in zip(key.columns, key.ref_columns, strict=False):
            if name in own and ref in theirs and _type(own[name]) != _type(theirs[ref]):
                yield (
                    f"{table.full_name}.{name}",
                    f"{own[name].type} here, {theirs[ref].type} in {key.ref_table}.{ref}, to which it refers.",
                )


def _type(column: Column) -> str:
    return shorten(column.type.lower()).replace(" ", "")


def _double_index(table: Table, known: _Known) -> _Found:
    keys = [(key.name or "the primary key", key.columns) for key in (table.primary_key, *table.unique) if key]
    seen = list(keys)
    for index in table.indexes:
        columns = tuple(part.column for part in index.parts)
        if not all(columns) or index.predicate or index.method not in ("btree", ""):
            continue
        same = next((name for name, other in seen if other == columns), "")
        longer = next((name for name, other in seen if other[: len(columns)] == columns and not index.unique), "")
        seen.append((index.name, columns))
        if same:
            yield f"{table.full_name}.{index.name}", f"{same} is of the same columns."
        elif longer:
            yield f"{table.full_name}.{index.name}", f"{longer} begins with the same columns, and does its work."


def _reserved(table: Table, known: _Known) -> _Found:
    for name, place in (
        (table.name, table.full_name),
        *((c.name, f"{table.full_name}.{c.name}") for c in table.columns),
    ):
        if known.model.layer == "physical" and name.lower() in known.reserved:
            yield place, f"{name} is a word of the platform: every statement has to quote it."


def _too_long(table: Table, known: _Known) -> _Found:
    if known.model.layer != "physical" or not known.longest:
        return
    keys = (table.primary_key, *table.unique, *table.foreign_keys, *table.indexes, *table.checks)
    names = [table.name, *(column.name for column in table.columns), *(key.name for key in keys if key)]
    for name in names:
        if len(name.encode()) > known.longest:
            yield (
                f"{table.full_name}.{name}",
                f"It has {len(name.encode())} letters; the platform keeps {known.longest}.",
            )


def _orphan(table: Table, known: _Known) -> _Found:
    if table.kind not in VIEW_KINDS and not table.foreign_keys and (table.schema, table.name) not in known.referred:
        yield table.full_name, "It refers to nothing, and nothing refers to it."


def _unknown_type(table: Table, known: _Known) -> _Found:
    if known.model.layer == "physical" and known.model.platform and not known.types:
        return
    for column in table.columns:
        named = column.type.strip().lower().removesuffix("[]")
        is_own = known.model.layer == "logical" or "." in named
        if named and is_own and named not in known.types and plain(column.type, known.model.platform) is None:
            yield f"{table.full_name}.{column.name}", f"The model has no type or domain {column.type}."


def _circle(table: Table, known: _Known) -> _Found:
    """Follow identifying relationships upwards; a table that comes back to itself is identified by itself."""
    begin = (table.schema, table.name)
    waiting, seen = [table], {begin}
    while waiting:
        for parent in _identifying(waiting.pop(), known):
            key = (parent.schema, parent.name)
            if key == begin:
                yield table.full_name, "Its key holds that of another table, whose key holds this one."
                return
            if key not in seen:
                seen.add(key)
                waiting.append(parent)


def _identifying(table: Table, known: _Known) -> Iterator[Table]:
    primary = set(table.primary_key.columns) if table.primary_key else set()
    for key in table.foreign_keys:
        parent = known.tables.get((key.ref_schema, key.ref_table))
        if parent is not None and parent is not table and key.columns and set(key.columns) <= primary:
            yield parent


RULES: tuple[Rule, ...] = (
    Rule("meets-no-key", "A relationship refers to a key of its parent.", "error", _meets_no_key),
    Rule("types-differ", "Columns that refer to others have their types.", "error", _types_differ),
    Rule("circle", "No table is identified by itself.", "error", _circle),
    Rule("no-key", "Each table has a primary key.", "warning", _no_key),
    Rule("no-type", "Each column has a type.", "warning", _no_type),
    Rule("no-columns", "Each table and view has columns.", "warning", _no_columns),
    Rule("unknown-type", "Types and domains that columns name are in the model.", "warning", _unknown_type),
    Rule("reserved", "Names are no words of the platform.", "warning", _reserved),
    Rule("too-long", "Names are as short as the platform keeps them.", "error", _too_long),
    Rule("double-index", "No index does the work of another.", "note", _double_index),
    Rule("orphan", "Each table is related to another.", "note", _orphan),
)
"""All rules, the gravest first."""
BY_ID = {rule.id: rule for rule in RULES}


def check_structure(model: Model, severities: dict[str, str] | None = None) -> list[Fault]:
    """Return the faults of a model, rule by rule. `severities` has other weights by rule, "off" for a rule that is not asked."""
    severities = severities or {}
    own = [*model.enums, *model.domains, *model.composites, *model.ranges]
    known = _Known(
        model=model,
        tables={(table.schema, table.name): table for table in model.tables},
        referred={(key.ref_schema, key.ref_table) for table in model.tables for key in table.foreign_keys},
        types={name.lower() for part in own for name in (part.name, f"{part.schema}.{part.name}")},  # type: ignore[attr-defined]
        reserved=reserved(model.platform),
        longest=longest(model.platform),
    )
    found = []
    for rule in RULES:
        severity = severities.get(rule.id, rule.severity)
        if severity == "off":
            continue
        for table in model.tables:
            found += [
                Fault(rule=rule.id, severity=severity, place=place, why=why, table=table.name, id=table.id)  # type: ignore[arg-type]
                for place, why in rule.find(table, known)
            ]
    return found
