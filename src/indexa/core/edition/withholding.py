"""Leaving tables and columns out of an edition: also where keys, checks, views and diagrams would name them."""

from __future__ import annotations

import re
from collections.abc import Collection

import msgspec

from indexa.core.edition.parts import Picture
from indexa.core.model import ForeignKey, Index, Model, Table


def without(model: Model, tables: Collection[int], columns: Collection[int]) -> Model:
    """Return a model without some tables and columns, by their numbers, and without all that names these."""
    gone_tables = {(one.schema, one.name) for one in model.tables if int(one.id[1:]) in tables}
    gone = {
        (one.schema, one.name): {column.name for column in one.columns if int(column.id[1:]) in columns}
        for one in model.tables
    }
    names = {name for _, name in gone_tables}.union(*gone.values()) if gone else set()
    named = _mentions(names)

    def tells(key: ForeignKey) -> bool:
        target = (key.ref_schema, key.ref_table)
        return target in gone_tables or bool(gone.get(target, set()) & set(key.ref_columns))

    kept = []
    for table in model.tables:
        if (table.schema, table.name) in gone_tables:
            continue
        own = gone[table.schema, table.name]
        query = "" if named.search(table.definition_sql) else table.definition_sql
        kept.append(_without_columns(msgspec.structs.replace(
            table, definition_sql=query, foreign_keys=[key for key in table.foreign_keys if not tells(key)]
        ), own))  # fmt: skip
    return msgspec.structs.replace(model, tables=kept)


def _without_columns(table: Table, gone: Collection[str]) -> Table:
    if not gone:
        return table
    names = set(gone)
    named = _mentions(names)

    def tells(*texts: str | None) -> bool:
        return any(named.search(text or "") for text in texts)

    def indexed(index: Index) -> bool:
        own = {part.column for part in index.parts} | set(index.included)
        return bool(names & own) or tells(index.predicate, *(part.expression for part in index.parts))

    return msgspec.structs.replace(
        table,
        columns=[
            msgspec.structs.replace(one, generated=None) if tells(one.generated) else one
            for one in table.columns
            if one.name not in names
        ],
        primary_key=table.primary_key if table.primary_key and not names & set(table.primary_key.columns) else None,
        unique=[key for key in table.unique if not names & set(key.columns)],
        foreign_keys=[key for key in table.foreign_keys if not names & set(key.columns) and not tells(key.only_where)],
        indexes=[one for one in table.indexes if not indexed(one)],
        checks=[one for one in table.checks if not tells(one.expression)],
        triggers=[one for one in table.triggers if not tells(one.definition)],
        exclusions=[one for one in table.exclusions if not tells(one.predicate, *one.elements)],
    )


def _mentions(names: Collection[str]) -> re.Pattern[str]:
    """Return what finds any of some names as a word; for none, what finds nothing."""
    words = "|".join(map(re.escape, sorted(names))) or "(?!)"
    return re.compile(rf"(?<!\w)({words})(?!\w)", re.IGNORECASE)


def picture_within(picture: Picture, model: Model) -> Picture:
    """Return a picture that shows no table, column or relationship which the model has not."""
    there = {(table.schema, table.name): {one.name for one in table.columns} for table in model.tables}
    drawing = picture.drawing
    cards = [
        msgspec.structs.replace(card, rows=[row for row in card.rows if row.column in there[card.key]])
        for card in drawing.cards
        if card.key in there
    ]
    lines = [
        line
        for line in drawing.lines
        if there.get(line.child, set()) >= set(line.columns)
        and there.get(line.parent, set()) >= set(line.ref_columns)
        and line.child in there
        and line.parent in there
    ]
    return msgspec.structs.replace(picture, drawing=msgspec.structs.replace(drawing, cards=cards, lines=lines))
