"""Tables and columns of an edition for those who exchange rows: CSV on the Web, and Data Package with Table Schema."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from indexa.core.edition.book import Book, Page
from indexa.core.edition.open.kinds import Name, kind_of

CANNOT_CSVW = ("owners and classes, beyond the description", "indexes, checks and queries", "terms, rules, diagrams")
CANNOT_PACKAGE = ("owners and classes", "indexes, checks and queries", "terms, rules, diagrams")
"""What of an edition each of them does not carry."""
_CSVW: dict[Name, str] = {
    "integer": "integer", "decimal": "decimal", "number": "double", "boolean": "boolean", "date": "date", "time": "time",
    "datetime": "dateTime", "string": "string", "binary": "base64Binary", "object": "json", "array": "json",
}  # fmt: skip
_FIELDS: dict[Name, str] = {
    "integer": "integer", "decimal": "number", "number": "number", "boolean": "boolean", "date": "date", "time": "time",
    "datetime": "datetime", "string": "string", "binary": "string", "object": "object", "array": "array",
}  # fmt: skip


def _file(page: Page) -> str:
    """Return what the file of a table's rows is called: the same for the whole of an edition."""
    return f"{page.path.removeprefix('tables/').removesuffix('.html')}.csv"


def csvw(book: Book) -> bytes:
    """Return the metadata of a group of tables by CSV on the Web."""
    tables = [_csvw_table(book, page) for page in book.pages]
    imprint = book.imprint
    whole: dict[str, Any] = {
        "@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}], "dc:title": imprint.title, "dc:publisher": imprint.area,
        "tables": tables,
    }  # fmt: skip
    return _json(whole)


def _csvw_table(book: Book, page: Page) -> dict[str, Any]:
    columns = []
    for column in page.table.columns:
        kind = kind_of(column.type)
        datatype: Any = _CSVW[kind.name]
        if kind.length:
            datatype = {"base": datatype, "maxLength": kind.length}
        made: dict[str, Any] = {
            "name": _safe(column.name),
            "titles": column.name,
            "datatype": datatype,
            "required": not column.nullable,
        }
        told = column.definition or column.comment
        columns.append(made | ({"dc:description": told} if told else {}))
    schema: dict[str, Any] = {"columns": columns}
    if page.table.primary_key:
        schema["primaryKey"] = [_safe(one) for one in page.table.primary_key.columns]
    keys = [
        {
            "columnReference": [_safe(one) for one in key.columns],
            "reference": {
                "resource": _file(book.pages[target]),
                "columnReference": [_safe(one) for one in key.ref_columns],
            },
        }
        for key, _, target in page.refers
        if target >= 0 and len(key.columns) == len(key.ref_columns)
    ]
    if keys:
        schema["foreignKeys"] = keys
    told = page.table.definition or page.table.comment
    titled = {"dc:title": page.table.business_name or page.table.full_name} | ({"dc:description": told} if told else {})
    return {"url": _file(page), **titled, "tableSchema": schema}


def _safe(name: str) -> str:
    """Return a column's name as an address may hold it; its true name is its title."""
    return re.sub(r"[^A-Za-z0-9._~-]", "-", name).lstrip("_") or "column"


def data_package(book: Book) -> bytes:
    """Return the descriptor of a Data Package, version 2, a resource with its Table Schema for each table."""
    imprint = book.imprint
    whole: dict[str, Any] = {
        "$schema": "https://datapackage.org/profiles/2.0/datapackage.json", "name": _slug(imprint.title), "title": imprint.title,
        "version": str(imprint.number or "0"), "created": imprint.made_at.isoformat(),
        "contributors": [{"title": imprint.made_by, "roles": ["author"]}], "resources": [_resource(book, page) for page in book.pages],
    }  # fmt: skip
    return _json(whole | ({"description": imprint.note} if imprint.note else {}))


def _resource(book: Book, page: Page) -> dict[str, Any]:
    table = page.table
    fields = []
    for column in table.columns:
        kind = kind_of(column.type)
        limits: dict[str, Any] = {} if column.nullable else {"required": True}
        limits |= {"maxLength": kind.length} if kind.length else {}
        made: dict[str, Any] = {"name": column.name, "type": _FIELDS[kind.name]}
        made |= {"title": column.business_name} if column.business_name else {}
        told = column.definition or column.comment
        made |= ({"description": told} if told else {}) | ({"constraints": limits} if limits else {})
        fields.append(made)
    schema: dict[str, Any] = {"fields": fields}
    if table.primary_key:
        schema["primaryKey"] = list(table.primary_key.columns)
    if table.unique:
        schema["uniqueKeys"] = [list(key.columns) for key in table.unique]
    keys = [
        {
            "fields": list(key.columns),
            "reference": {
                "resource": "" if book.pages[target] is page else _name(book.pages[target]),
                "fields": list(key.ref_columns),
            },
        }
        for key, _, target in page.refers
        if target >= 0 and len(key.columns) == len(key.ref_columns)
    ]
    if keys:
        schema["foreignKeys"] = keys
    told = table.definition or table.comment
    return {
        "name": _name(page), "type": "table", "path": _file(page), "title": table.business_name or table.full_name,
        **({"description": told} if told else {}), "schema": schema,
    }  # fmt: skip


def _name(page: Page) -> str:
    return _file(page).removesuffix(".csv")


def _slug(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-") or "edition"


def _json(value: object) -> bytes:
    return msgspec.json.format(msgspec.json.encode(value), indent=2)
