"""The named objects of a model, each with its kind, its place, and the parts that its name may be made of."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from indexa.core.model import Model, Table
from indexa.core.naming.standard import Kind


class Named(msgspec.Struct, kw_only=True):
    """An object with a name: `place` is its full name with the table's, `scope` what its name must be unique in."""

    kind: Kind
    name: str
    place: str
    scope: str
    business_name: str = ""
    table: str = ""
    id: str = ""
    """The part's own id, where it has one: those of tables and columns."""
    table_id: str = ""
    parts: dict[str, object] = msgspec.field(default_factory=dict)


_SHORT_KINDS: dict[Kind, str] = {
    "primary key": "pk",
    "unique key": "uq",
    "foreign key": "fk",
    "index": "ix",
    "check": "ck",
    "sequence": "sq",
    "trigger": "tr",
    "relationship": "rel",
}


def named_objects(model: Model) -> Iterator[Named]:
    """Yield every object of a model that has, or could have, a name, tables first with what is theirs."""
    logical = model.layer == "logical"
    for table in model.tables:
        schema = f"{table.schema}." if table.schema else ""
        full = schema + table.name
        kind: Kind = "entity" if logical else "view" if "view" in table.kind else "table"
        yield Named(
            kind=kind,
            name=table.name,
            place=full,
            scope=table.schema,
            business_name=table.business_name,
            table=table.name,
            id=table.id,
            table_id=table.id,
        )
        for column in table.columns:
            yield Named(
                kind="attribute" if logical else "column", name=column.name, place=f"{full}.{column.name}", scope=full,
                business_name=column.business_name, table=table.name, id=column.id,
                table_id=table.id,
            )  # fmt: skip
        yield from (one for one in _keys(table, full, logical=logical) if not logical or one.kind == "relationship")
    for sequence in model.sequences:
        if not sequence.owned_by:
            place = f"{sequence.schema}.{sequence.name}" if sequence.schema else sequence.name
            yield Named(kind="sequence", name=sequence.name, place=place, scope=sequence.schema)
    for routine in model.routines:
        place = f"{routine.schema}.{routine.name}" if routine.schema else routine.name
        yield Named(kind="routine", name=routine.name, place=place, scope="")


def _keys(table: Table, full: str, *, logical: bool) -> Iterator[Named]:
    def one(kind: Kind, name: str, **parts: object) -> Named:
        columns = parts.get("columns") or ()
        assert isinstance(columns, tuple)
        text: dict[str, object] = {
            "table": table.name, "schema": table.schema, "columns": list(columns), "column": columns[0] if columns else "",
            "ref_table": "", "ref_columns": [], "kind": _SHORT_KINDS[kind], "unique": False, "number": 1, "method": "",
        }  # fmt: skip
        text.update({part: value for part, value in parts.items() if part != "columns"})
        return Named(
            kind=kind,
            name=name,
            place=f"{full}.{name}",
            scope=table.schema,
            table=table.name,
            parts=text,
            table_id=table.id,
        )

    # What a person asserts has no name in the database that could break a rule.
    if table.primary_key and table.primary_key.name and not table.primary_key.asserted:
        yield one("primary key", table.primary_key.name, columns=table.primary_key.columns)
    for key in table.unique:
        if key.name and not key.asserted:
            yield one("unique key", key.name, columns=key.columns, unique=True)
    for foreign in table.foreign_keys:
        if foreign.name and not foreign.asserted:
            yield one(
                "relationship" if logical else "foreign key",
                foreign.name,
                columns=foreign.columns,
                ref_table=foreign.ref_table,
                ref_columns=list(foreign.ref_columns),
            )
    for index in table.indexes:
        columns = tuple(part.column or "expr" for part in index.parts)
        yield one("index", index.name, columns=columns, unique=index.unique, method=index.method)
    for check in table.checks:
        if check.name:
            yield one("check", check.name)
    for trigger in table.triggers:
        yield one("trigger", trigger.name)
