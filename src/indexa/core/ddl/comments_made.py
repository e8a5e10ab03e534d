"""Comments, as statements of their own."""

from __future__ import annotations

from typing import Any

from indexa.core.ddl.draft import Draft
from indexa.core.model import VIEW_KINDS, Column, Table


def make_comments(draft: Draft) -> None:
    """Say what tables, columns and other parts are, as far as the platform keeps that."""
    if draft.target.comments == "none":
        if any(table.comment or any(column.comment for column in table.columns) for table in draft.tables):
            draft.note("Comments", "the platform keeps none")
        return
    write = {"statement": _comment_on, "property": _property_of}.get(draft.target.comments)
    if write is None:
        return
    for table in (*draft.tables, *draft.views):
        if table.kind == "foreign table" or (table.kind in VIEW_KINDS and not draft.same):
            continue
        if table.comment:
            write(draft, table, None)
        for column in table.columns:
            if column.comment:
                write(draft, table, column)
    if draft.same and draft.target.name == "postgresql":
        _comment_on_parts(draft)


def _comment_on(draft: Draft, table: Table, column: Column | None) -> None:
    path = draft.path_of(table)
    if column is not None:
        kind, path, comment = "COLUMN", f"{path}.{draft.namer.quoted(column.name)}", column.comment
    else:
        is_view = table.kind in VIEW_KINDS and draft.target.name != "oracle"
        kind = table.kind.upper() if is_view and draft.target.name == "postgresql" else "TABLE"
        comment = table.comment
    draft.add("comment", table.schema, table.name, f"COMMENT ON {kind} {path} IS {draft.namer.text(comment)}")


def _property_of(draft: Draft, table: Table, column: Column | None) -> None:
    kind = "VIEW" if table.kind in VIEW_KINDS else "TABLE"
    words = (
        f"EXEC sp_addextendedproperty N'MS_Description', N{draft.namer.text(column.comment if column else table.comment)}, "
        f"N'SCHEMA', N{draft.namer.text(table.schema or 'dbo')}, N'{kind}', N{draft.namer.text(table.name)}"
    )
    if column is not None:
        words += f", N'COLUMN', N{draft.namer.text(column.name)}"
    draft.add("comment", table.schema, table.name, words)


def _comment_on_parts(draft: Draft) -> None:
    for schema in draft.model.schemas:
        if draft.wanted(schema.name):
            _say(draft, schema.name, schema.name, f"SCHEMA {draft.namer.quoted(schema.name)}", schema.comment)
    types: list[Any] = [*draft.model.enums, *draft.model.composites, *draft.model.ranges]
    all_parts: list[tuple[str, list[Any]]] = [
        ("TYPE", types),
        ("DOMAIN", [*draft.model.domains]),
        ("SEQUENCE", [*draft.model.sequences]),
    ]
    for kind, parts in all_parts:
        for part in parts:
            if draft.wanted(part.schema):
                _say(draft, part.schema, part.name, f"{kind} {draft.path(part.schema, part.name)}", part.comment)
    for table in draft.tables:
        _comment_on_parts_of(draft, table)


def _comment_on_parts_of(draft: Draft, table: Table) -> None:
    keys = [table.primary_key, *table.unique, *table.foreign_keys, *table.checks, *table.exclusions]
    owned: list[tuple[str, Any]] = [("CONSTRAINT", key) for key in keys if key is not None]
    owned += [("TRIGGER", trigger) for trigger in table.triggers]
    for kind, part in owned:
        what = f"{kind} {draft.namer.quoted(part.name)} ON {draft.path_of(table)}"
        _say(draft, table.schema, table.name, what, part.comment)
    for index in table.indexes:
        _say(draft, table.schema, table.name, f"INDEX {draft.path(table.schema, index.name)}", index.comment)


def _say(draft: Draft, schema: str, name: str, what: str, comment: str) -> None:
    """Comment on something of an object; nothing where there is no comment."""
    if comment:
        draft.add("comment", schema, name, f"COMMENT ON {what} IS {draft.namer.text(comment)}")
