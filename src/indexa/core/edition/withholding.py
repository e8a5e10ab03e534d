"""Leaving tables and columns out of an edition: also where keys, checks, views and diagrams would name them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable

import msgspec

from indexa.core.edition.facts import Difference
from indexa.core.edition.finding import finder
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
        left = msgspec.structs.replace(
            table,
            definition_sql="" if named(table.definition_sql) else table.definition_sql,
            foreign_keys=[key for key in table.foreign_keys if not tells(key)],
            triggers=[one for one in table.triggers if not named(one.definition)],
            inherits=tuple(one for one in table.inherits if not named(one)),
        )
        kept.append(_without_columns(left, gone[table.schema, table.name]))
    return msgspec.structs.replace(
        model,
        tables=kept,
        sequences=[one for one in model.sequences if not named(one.owned_by)],
        routines=[
            msgspec.structs.replace(one, definition="") if named(one.definition) else one for one in model.routines
        ],
    )


def _without_columns(table: Table, gone: Collection[str]) -> Table:
    if not gone:
        return table
    names = set(gone)
    named = _mentions(names)

    def tells(*texts: str | None) -> bool:
        return any(named(text) for text in texts if text)

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
        partition_by="" if tells(table.partition_by) else table.partition_by,
        exclusions=[one for one in table.exclusions if not tells(one.predicate, *one.elements)],
    )


def without_definitions(model: Model, private: Collection[str]) -> Model:
    """Return a model in which some tables and columns, by id, have neither definition nor comment."""
    tables = []
    for table in model.tables:
        columns = [
            msgspec.structs.replace(one, definition="", comment="") if one.id in private else one
            for one in table.columns
        ]
        told = {"definition": "", "comment": ""} if table.id in private else {}
        tables.append(msgspec.structs.replace(table, columns=columns, **told))
    return msgspec.structs.replace(model, tables=tables)


def tells_of(names: Iterable[str]) -> Callable[[str], bool]:
    """Return what says whether a text names one of some tables or columns, given by their full names."""
    return _mentions({name.rpartition(".")[2] for name in names})


def unnamed(differences: Iterable[Difference], withheld: Collection[str]) -> list[Difference]:
    """Return differences without those that would name a table or column which an edition leaves out for its class."""
    if not withheld:
        return list(differences)
    names, tells = set(withheld), tells_of(withheld)

    def is_told(one: Difference) -> bool:
        if one.kind != "removed" or not one.is_of_machine:
            return True
        place = one.name.partition("/")[2] or one.name
        if one.object == "relationship":
            return place.partition(" (")[0] not in names and not tells(place.partition(" (")[2])
        return place not in names

    return [one for one in differences if is_told(one)]


def _mentions(names: Iterable[str]) -> Callable[[str], bool]:
    found = finder((name, name) for name in names)
    return lambda text: bool(found(text))


def picture_within(picture: Picture, model: Model, tells: Callable[[str], bool]) -> Picture:
    """Return a picture that shows no table, column or relationship which the model has not, and no note that `tells` of one left out."""
    there = {(table.schema, table.name): {one.name for one in table.columns} for table in model.tables}
    drawing = picture.drawing
    cards = [
        msgspec.structs.replace(card, rows=[row for row in card.rows if row.column in there[card.key]])
        for card in drawing.cards
        if card.key in there
    ]
    notes = [note for note in drawing.notes if not tells(note.text)]
    lines = [
        line
        for line in drawing.lines
        if there.get(line.child, set()) >= set(line.columns)
        and there.get(line.parent, set()) >= set(line.ref_columns)
        and line.child in there
        and line.parent in there
    ]
    return msgspec.structs.replace(
        picture, drawing=msgspec.structs.replace(drawing, cards=cards, lines=lines, notes=notes)
    )
