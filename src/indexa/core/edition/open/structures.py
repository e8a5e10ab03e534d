"""Tables of an edition for those who exchange messages or agree on data: JSON Schema, Avro, and a data contract."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from indexa.core.edition.book import Book, Page
from indexa.core.edition.open.kinds import Name, TypeKind, kind_of
from indexa.core.model import Column

CANNOT_JSON_SCHEMA = ("keys and relationships", "owners and classes", "terms, rules, diagrams")
CANNOT_AVRO = (
    "keys and relationships",
    "owners and classes",
    "terms, rules, diagrams",
    "names with signs that Avro does not take: they are aliases",
)
CANNOT_CONTRACT = ("relationships over several columns", "indexes, checks and queries", "terms, diagrams")
"""What of an edition each of them does not carry."""
_JSON: dict[Name, dict[str, Any]] = {
    "integer": {"type": "integer"}, "decimal": {"type": "number"}, "number": {"type": "number"}, "boolean": {"type": "boolean"},
    "date": {"type": "string", "format": "date"}, "time": {"type": "string", "format": "time"},
    "datetime": {"type": "string", "format": "date-time"}, "string": {"type": "string"},
    "binary": {"type": "string", "contentEncoding": "base64"}, "object": {"type": "object"}, "array": {"type": "array"},
}  # fmt: skip
_LOGICAL: dict[Name, str] = {
    "integer": "integer", "decimal": "number", "number": "number", "boolean": "boolean", "date": "date", "time": "string",
    "datetime": "date", "string": "string", "binary": "string", "object": "object", "array": "array",
}  # fmt: skip


def json_schema(book: Book) -> bytes:
    """Return a JSON Schema (2020-12) with a definition for a row of each table."""
    return _json(
        {
            "$schema": "https://json-schema.org/draft/2020-12/schema", "title": book.imprint.title,
            "$comment": f"{book.imprint.area}, {book.imprint.edition}, {book.imprint.date}",
            "$defs": {_key(page): _json_row(page) for page in book.pages},
        }
    )  # fmt: skip


def _json_row(page: Page) -> dict[str, Any]:
    properties = {}
    for column in page.table.columns:
        kind = kind_of(column.type)
        made = dict(_JSON[kind.name]) | ({"maxLength": kind.length} if kind.length else {})
        if column.nullable:
            made["type"] = [made["type"], "null"]
        properties[column.name] = made | _titled(column)
    required = [column.name for column in page.table.columns if not column.nullable]
    told = page.table.definition or page.table.comment
    return {
        "type": "object", "title": page.table.business_name or page.table.full_name, **({"description": told} if told else {}),
        "properties": properties, "required": required,
    }  # fmt: skip


def _titled(column: Column) -> dict[str, str]:
    told = column.definition or column.comment
    return ({"title": column.business_name} if column.business_name else {}) | ({"description": told} if told else {})


def _key(page: Page) -> str:
    return f"{page.model.name}.{page.table.full_name}"


def avro(book: Book) -> bytes:
    """Return Avro records, one for each table, as a list of schemas."""
    return _json([_record(page) for page in book.pages])


def _record(page: Page) -> dict[str, Any]:
    taken: set[str] = set()
    fields = []
    for column in page.table.columns:
        type_: Any = _avro_type(kind_of(column.type))
        name = _avro_name(column.name, taken)
        made: dict[str, Any] = {"name": name, "type": ["null", type_] if column.nullable else type_}
        made |= {"default": None} if column.nullable else {}
        told = column.definition or column.comment or column.business_name
        made |= {"doc": told} if told else {}
        fields.append(made)
    space = ".".join(_avro_name(part, set()) for part in (page.model.name, page.table.schema) if part)
    told = page.table.definition or page.table.comment
    return {
        "type": "record", "name": _avro_name(page.table.name, set()), "namespace": space, **({"doc": told} if told else {}), "fields": fields,
    }  # fmt: skip


def _avro_type(kind: TypeKind) -> Any:
    match kind.name:
        case "integer":
            return "long"
        case "decimal" if kind.precision:
            return {"type": "bytes", "logicalType": "decimal", "precision": kind.precision, "scale": kind.scale}
        case "decimal" | "number":
            return "double"
        case "boolean":
            return "boolean"
        case "date":
            return {"type": "int", "logicalType": "date"}
        case "time":
            return {"type": "long", "logicalType": "time-micros"}
        case "datetime":
            return {"type": "long", "logicalType": "timestamp-micros"}
        case "binary":
            return "bytes"
        case _:
            return "string"


def _avro_name(name: str, taken: set[str]) -> str:
    plain = re.sub(r"[^A-Za-z0-9_]", "_", name)
    plain = plain if re.match(r"[A-Za-z_]", plain) else f"_{plain}"
    made, number = plain, 1
    while made in taken:
        number += 1
        made = f"{plain}_{number}"
    taken.add(made)
    return made


def contract(book: Book) -> bytes:
    """Return a data contract by the open standard for them, version 3, as JSON, which every YAML reader reads."""
    imprint = book.imprint
    whole: dict[str, Any] = {
        "apiVersion": "v3.0.2", "kind": "DataContract", "id": re.sub(r"[^a-z0-9]+", "-", f"{imprint.area} {imprint.title}".lower()).strip("-"),
        "name": imprint.title, "version": f"{imprint.number or 0}.0.0", "status": "active" if imprint.number else "draft",
        "domain": imprint.area, "schema": [_agreed(page) for page in book.pages],
    }  # fmt: skip
    return _json(whole | ({"description": {"purpose": imprint.note}} if imprint.note else {}))


def _agreed(page: Page) -> dict[str, Any]:
    table = page.table
    keys = list(table.primary_key.columns) if table.primary_key else []
    properties = []
    for column in table.columns:
        made: dict[str, Any] = {
            "name": column.name, "physicalType": column.type, "logicalType": _LOGICAL[kind_of(column.type).name], "required": not column.nullable,
        }  # fmt: skip
        told = column.definition or column.comment
        made |= ({"businessName": column.business_name} if column.business_name else {}) | (
            {"description": told} if told else {}
        )
        if column.name in keys:
            made |= {"primaryKey": True, "primaryKeyPosition": keys.index(column.name) + 1}
        said = page.said.get(column.name, {}).get("Confidentiality", "")
        properties.append(made | ({"classification": said} if said else {}))
    told = table.definition or table.comment
    return {
        "name": table.full_name, "physicalName": table.full_name, "physicalType": table.kind, "logicalType": "object",
        **({"businessName": table.business_name} if table.business_name else {}), **({"description": told} if told else {}),
        "properties": properties,
    }  # fmt: skip


def _json(value: object) -> bytes:
    return msgspec.json.format(msgspec.json.encode(value), indent=2)
