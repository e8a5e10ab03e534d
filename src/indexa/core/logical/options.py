"""What can be chosen when a physical model is derived, and what of it is done to the logical model before."""

from __future__ import annotations

import copy
from typing import Literal

import msgspec

from indexa.core.model import Check, Column, Enum, ForeignKey, Key, Model, Table

ENUMS = {"platform": "as the platform can", "check": "a text with a check", "lookup": "a table of their own"}
NUMBERING = {"model": "as the model says", "identity": "counted by the column", "sequence": "counted by a sequence"}
SUBTYPES = {
    "own": "a table each",
    "one": "in the table of their supertype",
    "each": "a table each, without the supertype",
}
_CODE_TYPE = "varchar({length})"


class DeriveOptions(msgspec.Struct, frozen=True, kw_only=True):
    """Choices of deriving, by their names in the tables above."""

    enums: Literal["platform", "check", "lookup"] = "platform"
    numbering: Literal["model", "identity", "sequence"] = "model"
    """Of a key of one whole number that no relationship brings."""
    subtypes: Literal["own", "one", "each"] = "own"


class Prepared(msgspec.Struct):
    """A copy of a logical model in which subtypes and code tables are as chosen, and in words what that lost."""

    model: Model
    notes: list[str]


def prepare(logical: Model, options: DeriveOptions) -> Prepared:
    """Return the logical model as it is derived."""
    model = msgspec.structs.replace(logical, tables=copy.deepcopy(logical.tables))
    prepared = Prepared(model, [])
    if options.subtypes != "own":
        for subtype in [table for table in model.tables if "subtype" in table.table_role.split("; ")]:
            key = _reference_above(subtype)
            above = _find(model, key.ref_schema, key.ref_table) if key else None
            if above is None:
                prepared.notes.append(f"{subtype.name}: A subtype of nothing that is known; it stays as it is.")
            elif options.subtypes == "one":
                _put_above(prepared, subtype, above)
            else:
                _take_over(prepared, subtype, above)
        if options.subtypes == "each":
            _drop_tables_above(prepared, logical)
    if options.enums == "lookup":
        for enum in model.enums:
            _as_table(model, enum)
    return prepared


def _reference_above(subtype: Table) -> ForeignKey | None:
    """Return the relationship of a subtype to its supertype: the one of its key."""
    key = set(subtype.primary_key.columns) if subtype.primary_key else set()
    return next((one for one in subtype.foreign_keys if set(one.columns) == key), None)


def _find(model: Model, schema: str, name: str) -> Table | None:
    return next((table for table in model.tables if (table.schema, table.name) == (schema, name)), None)


def _put_above(prepared: Prepared, subtype: Table, above: Table) -> None:
    """Put what a subtype has beside its key into its above, where it may be empty, and let others refer to that."""
    own = set(subtype.primary_key.columns) if subtype.primary_key else set()
    names = {column.name for column in above.columns}
    called: dict[str, str] = {}
    kind = f"{above.name} Type"
    if kind not in names:
        above.columns.append(
            Column(kind, len(above.columns) + 1, "varchar(60)", True, definition="Which subtype it is.")
        )
        names.add(kind)
    for column in subtype.columns:
        if column.name in own:
            continue
        called[column.name] = column.name if column.name not in names else f"{subtype.name} {column.name}"
        names.add(called[column.name])
        moved = msgspec.structs.replace(
            column, name=called[column.name], position=len(above.columns) + 1, nullable=True,
            business_name=column.business_name if called[column.name] == column.name else "",
        )  # fmt: skip
        above.columns.append(moved)
        if not column.nullable:
            prepared.notes.append(
                f"{subtype.name}.{column.name}: It may be empty in {above.name}, where not all rows have it."
            )
    upwards = _reference_above(subtype)
    pairs = dict(zip(upwards.columns, upwards.ref_columns, strict=True)) if upwards else {}
    for key in subtype.foreign_keys:
        if key is not upwards:
            columns = tuple(called.get(name) or pairs.get(name, name) for name in key.columns)
            above.foreign_keys.append(msgspec.structs.replace(key, columns=columns))
    for check in subtype.checks:
        prepared.notes.append(f"{subtype.name}: The check {check.name} is left out.")
    _refer_to(prepared.model, subtype, above, {**pairs, **called})
    prepared.model.tables.remove(subtype)


def _refer_to(model: Model, old: Table, new: Table, called: dict[str, str]) -> None:
    for table in model.tables:
        for key in table.foreign_keys:
            if (key.ref_schema, key.ref_table) == (old.schema, old.name):
                key.ref_schema, key.ref_table = new.schema, new.name
                key.ref_columns = tuple(called.get(name, name) for name in key.ref_columns)


def _take_over(prepared: Prepared, subtype: Table, above: Table) -> None:
    """Give a subtype all that its supertype has, and take the relationship to it out."""
    upwards = _reference_above(subtype)
    names = {column.name for column in subtype.columns}
    key = set(above.primary_key.columns) if above.primary_key else set()
    for column in above.columns:
        if column.name not in key and column.name not in names:
            subtype.columns.append(msgspec.structs.replace(column, position=len(subtype.columns) + 1))
    subtype.foreign_keys = [one for one in subtype.foreign_keys if one is not upwards]
    own = {column.name for column in subtype.columns}
    subtype.foreign_keys += [copy.copy(one) for one in above.foreign_keys if set(one.columns) <= own]


def _drop_tables_above(prepared: Prepared, logical: Model) -> None:
    """Take out the supertypes; relationships to them would have several tables to lead to, and are told."""
    gone = set()
    for table in logical.tables:
        key = _reference_above(table) if "subtype" in table.table_role.split("; ") else None
        if key is not None:
            gone.add((key.ref_schema, key.ref_table))
    model = prepared.model
    model.tables = [table for table in model.tables if (table.schema, table.name) not in gone]
    for table in model.tables:
        for one in [key for key in table.foreign_keys if (key.ref_schema, key.ref_table) in gone]:
            table.foreign_keys.remove(one)
            prepared.notes.append(
                f"{table.name}: Its relationship to {one.ref_table} is left out: that has a table for each subtype."
            )


def _as_table(model: Model, enum: Enum) -> None:
    """Make a code table of an enum, to which all attributes of that type refer."""
    users = [
        (table, column) for table in model.tables for column in table.columns if column.type.lower() in names_of(enum)
    ]
    if not users:
        return
    code = f"{enum.name} code"
    type_ = _CODE_TYPE.format(length=max(len(value) for value in enum.values))
    table = Table(
        name=enum.name, columns=[Column(code, 1, type_, False), Column(f"{enum.name} name", 2, "varchar(100)", False)],
        primary_key=Key(name="", columns=(code,)), comment=f"Its codes: {', '.join(enum.values)}.", table_role="code table",
    )  # fmt: skip
    for user, column in users:
        column.type = type_
        user.foreign_keys.append(
            ForeignKey(name="", columns=(column.name,), ref_schema="", ref_table=table.name, ref_columns=(code,))
        )
    model.tables.append(table)


def names_of(part: Enum) -> set[str]:
    """Return the names by which columns mention a type, in small letters."""
    return {part.name.lower(), f"{part.schema}.{part.name}".lower()}


def check_of_values(column: str, enum: Enum) -> Check:
    """Return the check that holds a column to the values of an enum."""
    values = ", ".join("'" + value.replace("'", "''") + "'" for value in enum.values)
    return Check(name=f"ck_{column}", expression=f"{column} IN ({values})")
