"""Schemas, types, domains and sequences: what tables need before they are made."""

from __future__ import annotations

import re
from typing import Any

from indexa.core.ddl.columns import Columns, measures
from indexa.core.ddl.draft import Draft
from indexa.core.ddl.extensions import extensions
from indexa.core.model import Domain, Sequence


def make_schemas(draft: Draft) -> None:
    """Make the schemas that are used; those that every database has are left alone."""
    parts: list[Any] = [
        *draft.tables, *draft.views, *draft.model.enums, *draft.model.domains, *draft.model.sequences,
    ]  # fmt: skip
    used = {part.schema for part in parts}
    used |= {schema.name for schema in draft.model.schemas}
    built_in = {"public", "main", "dbo", "PUBLIC", ""}
    for schema in sorted(used - built_in):
        if draft.wanted(schema) and draft.target.schemas:
            statement = draft.target.schemas.format(name=draft.namer.quoted(schema))
            if draft.unless_there:
                statement = re.sub(r"^(CREATE \w+ )", r"\1IF NOT EXISTS ", statement)
            draft.add("schema", schema, schema, statement)
    if not draft.target.has_schemas and len({table.schema for table in draft.tables}) > 1:
        draft.note("Schemas", "the platform has none; all names stand side by side")


def make_types(draft: Draft, columns: Columns) -> None:
    """Make extensions, enum types, types of fields, ranges and domains."""
    if draft.same and draft.target.name == "postgresql":
        for extension in extensions(draft.model, draft.tables):
            draft.add("extension", "", extension, f"CREATE EXTENSION IF NOT EXISTS {draft.namer.quoted(extension)}")
    for enum in draft.model.enums:
        if draft.wanted(enum.schema) and draft.target.enums == "type":
            values = ", ".join(draft.namer.text(value) for value in enum.values)
            draft.add(
                "type",
                enum.schema,
                enum.name,
                f"CREATE TYPE {draft.path(enum.schema, enum.name)} AS ENUM ({values})",
            )
    if draft.same and draft.target.name == "postgresql":
        for composite in draft.model.composites:
            if draft.wanted(composite.schema):
                fields = ", ".join(f"{draft.namer.quoted(field.name)} {field.type}" for field in composite.fields)
                draft.add(
                    "type",
                    composite.schema,
                    composite.name,
                    f"CREATE TYPE {draft.path(composite.schema, composite.name)} AS ({fields})",
                )
        for range_ in draft.model.ranges:
            if draft.wanted(range_.schema):
                multirange = (
                    f", MULTIRANGE_TYPE_NAME = {draft.namer.quoted(range_.multirange)}" if range_.multirange else ""
                )
                draft.add(
                    "type", range_.schema, range_.name,
                    f"CREATE TYPE {draft.path(range_.schema, range_.name)} AS RANGE (SUBTYPE = {range_.subtype}{multirange})",
                )  # fmt: skip
    else:
        own: list[Any] = [*draft.model.composites, *draft.model.ranges]
        for part in own:
            draft.note(f"{part.schema}.{part.name}", "a type of its own")
    if draft.target.domains:
        for domain in draft.model.domains:
            if draft.wanted(domain.schema):
                _make_domain(draft, columns, domain)


def _make_domain(draft: Draft, columns: Columns, domain: Domain) -> None:
    schema, name = domain.schema, domain.name
    parts = [
        f"CREATE DOMAIN {draft.path(schema, name)} AS {domain.type if draft.same else columns.plain(domain.type, name)}"
    ]
    if domain.collation and draft.same:
        parts.append(f'COLLATE "{domain.collation}"')
    if domain.default is not None and draft.same:
        parts.append(f"DEFAULT {domain.default}")
    if not domain.nullable:
        parts.append("NOT NULL")
    for check in domain.checks:
        if draft.same:
            parts.append(f"{draft.constraint(check.name)}CHECK ({check.expression})")
        else:
            draft.note(f"{schema}.{name}", f"its condition {check.expression}")
    draft.add("type", schema, name, "\n    ".join(parts))


def make_sequences(draft: Draft, columns: Columns) -> None:
    """Make the sequences that no column brings by itself."""
    if not draft.target.sequences and not draft.same:
        for sequence in draft.model.sequences:
            draft.note(f"{sequence.schema}.{sequence.name}", "a sequence")
        return
    counted = {
        f"{table.full_name}.{column.name}" for table in draft.tables for column in table.columns if column.identity
    }
    for sequence in draft.model.sequences:
        if draft.wanted(sequence.schema) and sequence.owned_by not in counted:
            draft.add("sequence", sequence.schema, sequence.name, _sequence(draft, sequence))
    for table in draft.tables:
        for column in table.columns:
            if columns.needs_sequence(column):
                name = f"{table.name}_{column.name}_seq"
                draft.add(
                    "sequence",
                    table.schema,
                    name,
                    f"CREATE SEQUENCE {draft.unless_there}{draft.path(table.schema, name)}",
                )


def _sequence(draft: Draft, one: Sequence) -> str:
    parts = [f"CREATE SEQUENCE {draft.unless_there}{draft.path(one.schema, one.name)}"]
    if draft.same and one.type and draft.target.name == "postgresql":
        parts.append(f"AS {one.type}")
    parts.append(measures(one) if draft.same else f"START WITH {one.start} INCREMENT BY {one.increment}")
    return " ".join(parts)


def own_sequences(draft: Draft) -> None:
    """Tie sequences to the columns that they serve, so that they go with them."""
    if not draft.same or draft.target.name not in ("postgresql", "greenplum"):
        return
    made = {(one.schema, one.name) for one in draft.statements if one.kind == "sequence"}
    for sequence in draft.model.sequences:
        if sequence.owned_by and (sequence.schema, sequence.name) in made:
            schema, table, column = [*[""] * 3, *sequence.owned_by.split(".")][-3:]
            if (schema, table) in draft.shown:
                owner = f"{draft.path(schema, table)}.{draft.namer.quoted(column)}"
                draft.add(
                    "sequence",
                    sequence.schema,
                    sequence.name,
                    f"ALTER SEQUENCE {draft.path(sequence.schema, sequence.name)} OWNED BY {owner}",
                )
