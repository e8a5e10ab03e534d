"""Comments, as statements of their own."""

from __future__ import annotations

from typing import Any, Literal

from indexa.core.ddl.draft import Draft
from indexa.core.model import VIEW_KINDS, Column, Table


def make_comments(draft: Draft) -> None:
    """Say what tables, columns and other parts are, as far as the platform keeps that."""
    if draft.target.comments == "none":
        if any(table.comment or any(column.comment for column in table.columns) for table in draft.tables):
            draft.note("Comments", "the platform keeps none")
        return
    if draft.target.comments in ("statement", "property"):
        for table in (*draft.tables, *draft.views):
            if table.kind == "foreign table" or (table.kind in VIEW_KINDS and not draft.same):
                continue
            for one in (None, *table.columns):
                if one.comment if one is not None else table.comment:
                    draft.add("comment", table.schema, table.name, _words(draft, table, one))
    make_comments_of_parts(draft)


def _words(draft: Draft, table: Table, column: Column | None) -> str:
    comment = table.comment if column is None else column.comment
    if draft.target.comments == "property":
        return property_words(draft, table, column, "add", comment)
    return comment_words(draft, table, column, draft.namer.text(comment))


def comment_words(draft: Draft, table: Table, column: Column | None, said: str) -> str:
    """Return the statement that says something of a table or column; `said` is a literal."""
    path = draft.path_of(table)
    is_view = table.kind in VIEW_KINDS and draft.target.name != "oracle"
    kind = table.kind.upper() if is_view and draft.target.name == "postgresql" else "TABLE"
    if column is not None:
        kind, path = "COLUMN", f"{path}.{draft.namer.quoted(column.name)}"
    return f"COMMENT ON {kind} {path} IS {said}"


def property_words(
    draft: Draft, table: Table, column: Column | None, act: Literal["add", "update", "drop"], said: str
) -> str:
    """Return the call that gives a table or column its description as a property, another one, or none."""
    kind = "VIEW" if table.kind in VIEW_KINDS else "TABLE"
    value = f", N{draft.namer.text(said)}" if act != "drop" else ""
    words = (
        f"EXEC sp_{act}extendedproperty N'MS_Description'{value}, "
        f"N'SCHEMA', N{draft.namer.text(table.schema or 'dbo')}, N'{kind}', N{draft.namer.text(table.name)}"
    )
    return words + (f", N'COLUMN', N{draft.namer.text(column.name)}" if column is not None else "")


def make_comments_of_parts(draft: Draft) -> None:
    """Say what schemas, types, sequences, keys, indexes and triggers are, where the platform keeps that."""
    if draft.same and draft.target.name == "postgresql":
        _comment_on_parts(draft)


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
