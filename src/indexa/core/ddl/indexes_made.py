"""Indexes."""

from __future__ import annotations

from indexa.core.ddl.draft import Draft
from indexa.core.model import Index, IndexPart, Table


def make_index(draft: Draft, table: Table, index: Index) -> None:
    """Make an index, or remark why it can not be."""
    target = draft.target
    if not target.indexes:
        draft.note(table.full_name, f"the index {index.name}: the platform has none")
        return
    unknown = index.predicate and not (target.index_predicates and draft.same)
    expressions = any(part.expression for part in index.parts)
    if unknown or (expressions and not (draft.same and target.index_expressions)):
        draft.note(table.full_name, f"the index {index.name}: its condition or expression is the source's own")
        return
    parts = ", ".join(_index_part(draft, part) for part in index.parts)
    named = draft.namer.quoted(draft.free_name(table, index.name))
    if target.index_of_schema and table.schema:
        named = f"{draft.namer.quoted(table.schema)}.{named}"
    before, after = _method(draft, table, index)
    unique = "UNIQUE " if index.unique else ""
    on = f" ON {draft.path_of(table)}"
    if target.name == "mysql":
        head = f"CREATE {unique}{before}INDEX {named}{after}{on}"
    elif target.name == "teradata":
        draft.add("index", table.schema, index.name, f"CREATE {unique}INDEX {named} ({parts}){on}")
        return
    else:
        head = f"CREATE {unique}INDEX {draft.unless_there}{named}{on}{after}"
    words = f"{head} ({parts}){draft.beside(index.comment)}"
    if index.included:
        if target.index_included:
            words += f" INCLUDE ({draft.namer.listed(index.included)})"
        else:
            draft.note(table.full_name, f"columns that {index.name} includes: {', '.join(index.included)}")
    if index.predicate:
        words += f" WHERE {index.predicate}"
    draft.add("index", table.schema, index.name, words)


def make_indexes(draft: Draft, table: Table) -> None:
    """Make all indexes of a table."""
    for index in table.indexes:
        make_index(draft, table, index)


def _method(draft: Draft, table: Table, index: Index) -> tuple[str, str]:
    """Return how an index works in the words before INDEX and after its name."""
    if not draft.same:
        return "", ""
    if draft.target.name == "mysql":
        special = f"{index.method.upper()} " if index.method in draft.target.index_methods else ""
        in_memory = "ENGINE=MEMORY" in table.options
        told = index.method in ("hash", "btree") and (index.method == "hash" or in_memory)
        return special, f" USING {index.method.upper()}" if told else ""
    return "", f" USING {index.method}" if index.method in draft.target.index_methods else ""


def _index_part(draft: Draft, part: IndexPart) -> str:
    words = draft.namer.quoted(part.column) if part.column else f"({part.expression})"
    if draft.same:
        words += f"({part.length})" if part.length else ""
        words += f" COLLATE {draft.collation(part.collation)}" if part.collation else ""
        words += f" {part.operator_class}" if part.operator_class else ""
    if part.descending:
        words += " DESC"
    if draft.is_same("postgresql") and part.nulls_first != part.descending:
        words += " NULLS FIRST" if part.nulls_first else " NULLS LAST"
    return words
