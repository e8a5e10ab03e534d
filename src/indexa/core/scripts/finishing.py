"""What can only be settled when the whole script is known: references, names of constraints, types, views."""

from __future__ import annotations

import re
from typing import cast

from indexa.core.intake.choice import Choice
from indexa.core.intake.narrowing import narrow
from indexa.core.intake.receipt import Receipt, count_parts
from indexa.core.model import Composite, Domain, Enum, Model, Range
from indexa.core.scripts.naming import name_checks, name_foreign_indexes
from indexa.core.scripts.queries import settle_queries
from indexa.core.scripts.state import Draft, Reference, Script


def finish(script: Script, choice: Choice | None) -> tuple[Model, Receipt]:
    """Settle what is open and return the model with its receipt."""
    for draft in list(script.drafts.values()):
        if draft.temporary:
            script.note("left out", "tables", "It is temporary.", draft.table.full_name)
            script.drop(draft)
    for (schema, name), kind in script.dropped.items():
        if not script.exists(schema, name):
            script.note("left out", kind, "The script drops it again.", f"{schema}.{name}" if schema else name)
    settle_queries(script)
    for draft in script.drafts.values():
        draft.query = ""
        if draft.untyped:
            message = "They are computed by a query; a script does not say their type."
            script.note("adapted", "columns", message, draft.table.full_name, draft.untyped)
        for old, new in draft.renamed:
            script.rename_column(draft, old, new)
    for number, name, message in script.later_comments:
        if number in script.drafts and (column := script.column(script.drafts[number], name)):
            column.comment = message
    for draft in script.drafts.values():
        _settle_names(script, draft)
    for draft in script.drafts.values():
        for reference in draft.references:
            _settle_reference(script, draft, reference)
        if draft.references and "ENGINE=MyISAM" in draft.table.options:
            message = "Declared, though the engine MyISAM does not hold them."
            script.note("adapted", "foreign keys", message, draft.table.full_name, len(draft.references))
    for draft in script.drafts.values():
        script.name_parts(draft)
        name_foreign_indexes(script.dialect, draft.table)
    for draft in script.drafts.values():
        for index in draft.table.indexes:
            index.method = index.method or script.dialect.index_method
    _qualify_types(script)
    if script.dialect.names_constraints == "postgresql":
        for domain in script.model.domains:
            name_checks(domain)
        _qualify_sequences(script)
    model = script.model
    model.sequences = list(script.sequences)
    model.tables = [draft.table for draft in script.drafts.values() if draft.partition_of is None]
    folded = len(script.drafts) - len(model.tables)
    if folded:
        script.note("adapted", "partitions", "Each is listed with its partitioned table, not as a table.", count=folded)
    _list_schemas(script, model)
    if choice is not None:
        for kind, count in narrow(model, choice).items():
            script.note("left out", kind, "Not chosen.", count=count)
    remarks = sum(len([1 for column in table.columns if column.remark]) for table in model.tables)
    if remarks:
        script.note(
            "adapted",
            "line comments",
            "Written beside columns; kept apart, as proposals for their definitions.",
            count=remarks,
        )
    data, commands = script.statements.pop("rows of data", 0), script.statements.pop("client commands", 0)
    if data:
        script.note("left out", "statements with data", "A model holds no rows.", count=data)
    if commands:
        script.note("left out", "client commands", "They speak to a client, not to the database.", count=commands)
    schemas = tuple(schema.name for schema in model.schemas)
    statements = dict(script.statements.most_common())
    return model, Receipt(arrived=count_parts(model), notes=script.notes(), schemas=schemas, statements=statements)


def _settle_names(script: Script, draft: Draft) -> None:
    table = draft.table
    keys = [*table.unique, *([table.primary_key] if table.primary_key else [])]
    for key in keys:
        key.columns = script.actual_names(draft, key.columns)
    lookup = script.dialect.key
    for index in table.indexes:
        for part in index.parts:
            if part.column and (column := draft.columns.get(lookup(part.column))):
                part.column = column.name


def _settle_reference(script: Script, draft: Draft, reference: Reference) -> None:
    foreign = reference.key
    foreign.columns = script.actual_names(draft, foreign.columns)
    target = script.drafts.get(reference.target) or script.find(reference.schema, reference.name, reference.search)
    if target is None:
        foreign.ref_schema = reference.schema or reference.search[0]
        script.note(
            "adapted", "foreign keys", "They refer to a table that was not read; the name is kept.",
            f"{foreign.ref_schema}.{foreign.ref_table}" if foreign.ref_schema else foreign.ref_table,
        )  # fmt: skip
        if not foreign.ref_columns:
            foreign.ref_columns = foreign.columns
        return
    foreign.ref_schema, foreign.ref_table = target.table.schema, target.table.name
    if foreign.ref_columns:
        foreign.ref_columns = script.actual_names(target, foreign.ref_columns)
    elif script.dialect.names_constraints == "mysql":
        foreign.ref_columns = foreign.columns
    elif target.table.primary_key and len(target.table.primary_key.columns) == len(foreign.columns):
        foreign.ref_columns = target.table.primary_key.columns
    else:
        foreign.ref_columns = foreign.columns
        script.note(
            "adapted", "foreign keys", "They name no columns, and the key they mean is not clear; names alike are taken.",
            f"{draft.table.full_name} → {target.table.full_name}",
        )  # fmt: skip
    for name, ref_name in zip(foreign.columns, foreign.ref_columns, strict=False):
        column, referred = script.column(draft, name), script.column(target, ref_name)
        untyped = column and not column.type and not script.dialect.any_type_words
        if column and referred and untyped:  # the key says what it is
            column.type = referred.type
    missing = [
        f"{one.table.full_name}.{name}"
        for one, names in ((draft, foreign.columns), (target, foreign.ref_columns))
        for name in names
        if one.table.columns and not script.column(one, name)
    ]
    if len(foreign.ref_columns) != len(foreign.columns):
        draft.table.foreign_keys.remove(foreign)
        script.note("left out", "foreign keys", "It pairs columns that are not of one number.", draft.table.full_name)
    elif missing:
        draft.table.foreign_keys.remove(foreign)
        message = f"It names a column that is not there at the end of the script: {', '.join(missing)}."
        script.note("left out", "foreign keys", message, draft.table.full_name)


def _qualify_types(script: Script) -> None:
    """Give the types that the script makes the schema they are in, as the catalog names them."""
    model, key = script.model, script.dialect.key
    made: dict[str, str] = {}
    types: tuple[Enum | Domain | Composite | Range, ...] = (
        *model.enums,
        *model.domains,
        *model.composites,
        *model.ranges,
    )
    for one in types:
        made[key(one.name)] = f"{one.schema}.{one.name}" if one.schema else one.name
    for name, schema in script.extension_types.items():
        made.setdefault(name, f"{schema}.{name}")
    if not made:
        return
    full_names: dict[str, str] = {}
    for draft in script.drafts.values():
        for column in draft.table.columns:
            full = full_names.get(column.type)
            if full is None:
                full = full_names[column.type] = _qualified(column.type, made, script)
            if full != column.type:
                if column.default and column.default.endswith(f"::{column.type}"):
                    column.default = column.default[: -len(column.type)] + full
                column.type = full


def _qualified(type_: str, made: dict[str, str], script: Script) -> str:
    base, array = (type_[:-2], "[]") if type_.endswith("[]") else (type_, "")
    full = made.get(script.dialect.key(base.strip('"')))
    return full + array if full and "." not in base else type_


_NEXT_VALUE = re.compile(r"nextval\s*\(\s*'([^'.]+)'(?:\s*::\s*regclass)?\s*\)", re.I)


def _qualify_sequences(script: Script) -> None:
    """Word a default that names a sequence without its schema as the catalog does."""
    schemas = {sequence.name: sequence.schema for sequence in script.sequences}
    for draft in script.drafts.values():
        for column in draft.table.columns:
            if column.default and (found := _NEXT_VALUE.fullmatch(column.default)) and schemas.get(found[1].lower()):
                column.default = f"nextval('{schemas[found[1].lower()]}.{found[1].lower()}'::regclass)"


def _list_schemas(script: Script, model: Model) -> None:
    used = dict.fromkeys(table.schema for table in model.tables)
    for parts in (model.enums, model.domains, model.composites, model.ranges, model.sequences, model.routines):
        used |= dict.fromkeys(one.schema for one in cast("list[Enum]", parts))
    for name in used:
        if name:
            script.schema_made(name)
    model.schemas = sorted(script.schemas.values(), key=lambda schema: schema.name)
