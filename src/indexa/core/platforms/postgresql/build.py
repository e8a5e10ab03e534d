"""From PostgreSQL's catalog rows to a Model and its receipt."""

from __future__ import annotations

import re
from collections.abc import Iterable
from sys import intern
from typing import Any

from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Note, Receipt, count_parts
from indexa.core.model import (
    ACTIONS,
    Check,
    Column,
    Composite,
    CompositeField,
    Domain,
    Enum,
    Exclusion,
    ForeignKey,
    Index,
    IndexPart,
    Key,
    Model,
    Partition,
    Range,
    Routine,
    SchemaInfo,
    Sequence,
    Table,
    Trigger,
)
from indexa.core.platforms import Session, Tick
from indexa.core.platforms.postgresql import queries

_TABLE_KINDS: dict[str, Any] = {
    "r": "table",
    "p": "partitioned table",
    "f": "foreign table",
    "v": "view",
    "m": "materialized view",
}
_COMMENT_OF_THE_SERVER = ("public", "standard public schema")
"""What each new database says of its first schema, though nobody wrote it."""
_IDENTITY = {"a": "always", "d": "by default", None: ""}
_ACTIONS = dict(zip("arcnd", ACTIONS, strict=True))
_MATCHES: dict[str, Any] = {"s": "simple", "f": "full", "p": "partial"}
_ROUTINES: dict[str, Any] = {"f": "function", "p": "procedure", "a": "aggregate", "w": "window function"}
_EXCLUSION = re.compile(r"EXCLUDE USING (\S+) \((.*?)\)(?: INCLUDE .*?)?(?: WHERE \((.*)\))?(?: DEFERRABLE.*)?$", re.S)
_DEFAULT_COLLATION = 100

VIEW_RELKINDS = frozenset("vm")

Rows = Iterable[tuple[Any, ...]]


def relkinds(choice: Choice) -> list[str]:
    """Return the catalog's letters for the kinds of relations that were chosen."""
    return ["r", "p", "f"] * ("tables" in choice.kinds) + ["v", "m"] * ("views" in choice.kinds)


class CatalogReading:
    """One reading: fetches kind after kind and hangs each part on its table."""

    def __init__(self, session: Session, choice: Choice, tick: Tick) -> None:
        self._parameters: dict[str, Any] = {"schemas": list(choice.schemas), "relkinds": relkinds(choice)}
        self._session, self._choice, self._tick = session, choice, tick
        self._tables: dict[int, Table] = {}
        self._names: dict[int, dict[int, str]] = {}
        self._shared_keys: dict[tuple[str, ...], tuple[str, ...]] = {}
        self._notes: list[Note] = []

    def build(self, name: str) -> tuple[Model, Receipt]:
        """Read all that was chosen, in the order in which parts need each other."""
        steps = [
            ("tables and views", self._read_relations, True),
            ("columns", self._read_columns, True),
            ("keys and checks", self._read_constraints, True),
            ("indexes", self._read_indexes, True),
            ("partitions", self._read_partitions, "tables" in self._choice.kinds),
            ("triggers", self._read_triggers, "triggers" in self._choice.kinds),
        ]
        model = Model(name=name, platform="postgresql")
        for number, (what, step, chosen) in enumerate(steps):
            self._tick(f"Reading {what}", number, len(steps) + 1)
            if chosen:
                step()
        self._tick("Reading types, sequences and routines", len(steps), len(steps) + 1)
        model.tables = list(self._tables.values())
        model.schemas = [
            SchemaInfo(
                name=schema, owner=owner, comment="" if (schema, comment) == _COMMENT_OF_THE_SERVER else comment or ""
            )
            for schema, owner, comment in self._fetch(queries.SCHEMAS)
        ]
        if "types" in self._choice.kinds:
            self._read_types(model)
        if "sequences" in self._choice.kinds:
            self._read_sequences(model)
        if "routines" in self._choice.kinds:
            self._read_routines(model)
        self._note_what_stays_out()
        receipt = Receipt(arrived=count_parts(model), notes=self._notes, schemas=self._choice.schemas)
        return model, receipt

    def _fetch(self, query: str) -> Rows:
        return self._session.fetch(query, self._parameters)

    def _read_relations(self) -> None:
        # View texts come first and alone: PostgreSQL locks what a view reads while it words it.
        bodies: dict[int, str] = {}
        if "views" in self._choice.kinds:
            bodies = dict(self._fetch(queries.VIEW_DEFINITIONS))
        self._session.begin_snapshot()
        rows = self._fetch(queries.RELATIONS)
        not_taken = 0
        for oid, schema, name, kind, unlogged, owner, comment, options, part_key, server, parents in rows:
            if not self._choice.takes_name(schema, name):
                not_taken += 1
                continue
            self._tables[oid] = Table(
                schema=intern(schema),
                name=name,
                kind=_TABLE_KINDS[kind],
                comment=comment or "",
                definition_sql=bodies.get(oid) or "",
                owner=intern(owner),
                unlogged=unlogged,
                options=tuple(options or ()),
                server=server or "",
                inherits=tuple(parents or ()),
                partition_by=part_key or "",
                origin=str(oid),
            )
        self._parameters["tables"] = list(self._tables)
        if not_taken:
            self._notes.append(Note("left out", "tables", "Their names were not chosen.", not_taken))

    def _read_columns(self) -> None:
        tables, names_by_table = self._tables, self._names
        current: int | None = None
        columns: list[Column] = []
        names: dict[int, str] = {}
        handles = [str(number) for number in range(1700)]
        for (
            oid,
            number,
            name,
            type_,
            nullable,
            default,
            identity,
            generated,
            collation,
            comment,
        ) in self._fetch(queries.COLUMNS):
            if oid != current:
                current, names = oid, {}
                columns, names_by_table[oid] = tables[oid].columns, names
            names[number] = name
            columns.append(
                Column(
                    name,
                    len(columns) + 1,
                    intern(type_),
                    nullable,
                    None if generated or (default and default.startswith("NULL::")) else default,
                    comment or "",
                    _IDENTITY[identity],
                    default if generated else None,
                    collation or "",
                    origin=handles[number],
                )
            )

    def _columns(self, oid: int, numbers: Iterable[int]) -> tuple[str, ...]:
        names = self._names[oid]
        found = tuple([names[number] for number in numbers])
        return self._shared_keys.setdefault(found, found)

    def _read_constraints(self) -> None:
        rows = list(self._fetch(queries.CONSTRAINTS))
        self._parameters["outside"] = list({row[4] for row in rows if row[2] == "f"} - self._tables.keys())
        if self._parameters["outside"]:
            for oid, number, name in self._fetch(queries.FOREIGN_COLUMNS):
                self._names.setdefault(oid, {})[number] = name
        outside: set[str] = set()
        tables = self._tables
        for (
            oid, name, kind, numbers, ref_oid, ref_schema, ref_table, ref_numbers, on_update, on_delete,
            match, deferrable, deferred, validated, no_inherit, text, comment,
        ) in rows:  # fmt: skip
            table = tables[oid]
            if kind == "f":
                table.foreign_keys.append(
                    ForeignKey(
                        name=name,
                        comment=comment or "",
                        columns=self._columns(oid, numbers),
                        ref_schema=intern(ref_schema),
                        ref_table=intern(ref_table),
                        ref_columns=self._columns(ref_oid, ref_numbers),
                        on_delete=_ACTIONS[on_delete],
                        on_update=_ACTIONS[on_update],
                        match=_MATCHES[match],
                        deferrable=deferrable,
                        initially_deferred=deferred,
                        validated=validated,
                    )
                )
                if ref_oid not in tables:
                    outside.add(f"{ref_schema}.{ref_table}")
            elif kind == "c":
                table.checks.append(
                    Check(
                        name=name,
                        comment=comment or "",
                        expression=text,
                        validated=validated,
                        inherited=not no_inherit,
                    )
                )
            elif kind == "x":
                table.exclusions.append(_exclusion(name, comment, text, deferrable, deferred))
            else:
                key = Key(
                    name=name,
                    comment=comment or "",
                    columns=self._columns(oid, numbers),
                    deferrable=deferrable,
                    initially_deferred=deferred,
                    nulls_distinct="NULLS NOT DISTINCT" not in (text or ""),
                )
                if kind == "p":
                    table.primary_key = key
                else:
                    table.unique.append(key)
        for place in sorted(outside):
            self._notes.append(
                Note(
                    "adapted",
                    "foreign keys",
                    "They refer to a table that was not read; the name is kept.",
                    1,
                    place,
                )
            )

    def _read_indexes(self) -> None:
        classes: dict[int, str] = dict(self._fetch(queries.OPERATOR_CLASSES))
        collations: dict[int, str] = dict(self._fetch(queries.COLLATIONS))
        for (
            oid, name, method, unique, numbers, key_count, options, class_oids, collation_oids,
            predicate, expressions, valid, comment,
        ) in self._fetch(queries.INDEXES):  # fmt: skip
            names = self._names[oid]
            parts = []
            for place in range(key_count):
                number, option, collation = numbers[place], options[place], collation_oids[place]
                part = IndexPart(
                    names[number] if number else "",
                    "" if number else expressions[place],
                    classes.get(class_oids[place], ""),
                )
                if collation and collation != _DEFAULT_COLLATION:
                    part.collation = self._own_collation(oid, part.column, collations.get(collation, ""))
                if option:
                    part.descending, part.nulls_first = bool(option & 1), bool(option & 2)
                parts.append(part)
            self._tables[oid].indexes.append(
                Index(
                    name=name,
                    comment=comment or "",
                    parts=tuple(parts),
                    unique=unique,
                    method=intern(method),
                    included=self._columns(oid, numbers[key_count:]),
                    predicate=predicate,
                    valid=valid,
                )
            )

    def _own_collation(self, oid: int, column: str, collation: str) -> str:
        """Return the index part's collation only where the column does not have it anyway."""
        same = any(c.name == column and c.collation == collation for c in self._tables[oid].columns)
        return "" if same else collation

    def _read_partitions(self) -> None:
        folded = 0
        for oid, schema, name, bound, part_key in self._fetch(queries.PARTITIONS):
            self._tables[oid].partitions.append(Partition(schema, name, bound, part_key or ""))
            folded += 1
        if folded:
            self._notes.append(
                Note(
                    "adapted",
                    "partitions",
                    "Each is listed with its partitioned table, not as a table.",
                    folded,
                )
            )

    def _read_triggers(self) -> None:
        for oid, name, definition, routine, enabled, comment in self._fetch(queries.TRIGGERS):
            self._tables[oid].triggers.append(
                Trigger(name=name, comment=comment or "", definition=definition, routine=routine, enabled=enabled)
            )

    def _read_types(self, model: Model) -> None:
        for schema, name, comment, values in self._fetch(queries.ENUMS):
            model.enums.append(Enum(schema=schema, name=name, comment=comment or "", values=tuple(values)))
        by_oid: dict[int, Domain] = {}
        for schema, name, comment, oid, type_, nullable, default, collation in self._fetch(queries.DOMAINS):
            by_oid[oid] = Domain(
                schema=schema,
                name=name,
                comment=comment or "",
                type=type_,
                nullable=nullable,
                default=default,
                collation=collation or "",
            )
        for oid, name, expression, validated, comment in self._fetch(queries.DOMAIN_CHECKS):
            if oid in by_oid:
                by_oid[oid].checks.append(
                    Check(name=name, comment=comment or "", expression=expression, validated=validated)
                )
        model.domains = list(by_oid.values())
        for schema, name, comment, fields in self._fetch(queries.COMPOSITES):
            model.composites.append(
                Composite(
                    schema=schema,
                    name=name,
                    comment=comment or "",
                    fields=tuple(CompositeField(*field) for field in fields),
                )
            )
        for schema, name, comment, subtype, multirange in self._fetch(queries.RANGES):
            model.ranges.append(
                Range(
                    schema=schema,
                    name=name,
                    comment=comment or "",
                    subtype=subtype,
                    multirange=multirange or "",
                )
            )

    def _read_sequences(self, model: Model) -> None:
        for (
            schema, name, comment, type_, start, increment, minimum, maximum, cache, cycle, owner, owned_by,
        ) in self._fetch(queries.SEQUENCES):  # fmt: skip
            model.sequences.append(
                Sequence(
                    schema=schema,
                    name=name,
                    comment=comment or "",
                    type=type_,
                    start=start,
                    increment=increment,
                    minimum=minimum,
                    maximum=maximum,
                    cache=cache,
                    cycle=cycle,
                    owner=owner,
                    owned_by=owned_by or "",
                )
            )

    def _read_routines(self, model: Model) -> None:
        for schema, name, comment, kind, arguments, returns, language, definition in self._fetch(queries.ROUTINES):
            model.routines.append(
                Routine(
                    schema=schema,
                    name=name,
                    comment=comment or "",
                    kind=_ROUTINES[kind],
                    arguments=arguments,
                    returns=returns,
                    language=language,
                    definition=definition,
                )
            )

    def _note_what_stays_out(self) -> None:
        for extension, count in self._fetch(queries.EXTENSION_MEMBERS):
            self._notes.append(Note("left out", "extension objects", "They belong to an extension.", count, extension))
        for kind, count in self._fetch(queries.OTHER_OBJECTS):
            self._notes.append(Note("left out", kind, "A model does not hold objects of this kind.", count))


def _exclusion(name: str, comment: str | None, text: str, deferrable: bool, deferred: bool) -> Exclusion:
    found = _EXCLUSION.match(text)
    method, elements, predicate = found.groups() if found else ("", text, None)
    return Exclusion(
        name=name,
        comment=comment or "",
        elements=tuple(re.split(r", (?=(?:[^()]*\([^()]*\))*[^()]*$)", elements)),
        method=method,
        predicate=predicate,
        deferrable=deferrable,
        initially_deferred=deferred,
    )
