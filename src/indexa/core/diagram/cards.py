"""From tables to cards: which columns a depth shows, and how large the card is with them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from math import ceil

from indexa.core.diagram.parts import Card, Depth, Key, Line, Naming, Row
from indexa.core.dictionary.key_roles import Role, key_roles, short_forms
from indexa.core.model import Column, Table
from indexa.core.model.relationships import relationship
from indexa.core.type_families import shorten

ROW, HEAD, HEAD_OF_BOTH, FOOT = 18.0, 22.0, 38.0, 20.0
"""Heights: of a row, of a head with one name, of one with both, of the line that counts what is hidden."""
NAME_AT, EDGE = 46.0, 9.0
"""Where the names of columns begin, and the space at both edges."""
TAB = 15.0
"""How far a card's tab stands out above it."""
_MOST_ROWS: dict[Depth, int] = {"names": 0, "keys": 40, "columns": 12, "full": 60}
"""Rows of a card; what is over that is counted."""
_NARROWEST, _WIDEST = 120.0, 420.0
LEAST_WIDTH, MOST_WIDTH = 100.0, 1_200.0
"""Between which a person may choose."""
_MACHINE, _MACHINE_SMALL, _MACHINE_TITLE, _TITLE = 7.0, 6.4, 8.0, 6.6
"""How wide a letter is: of a column's name, of a type, of a table's name, of a business name (on average)."""
_DEFINITION = 34


def card_of(table: Table, depth: Depth, naming: Naming, width: float = 0) -> Card:
    """Return the card of a table, not placed yet; as wide as what is on it, or as a person wants it."""
    roles = key_roles(table)
    shown = _shown(table, depth, roles)[: _MOST_ROWS[depth]]
    rows = [_row(column, depth, naming, roles.get(column.name, Role(0))) for column in shown]
    title = table.name if naming != "business" or not table.business_name else ""
    if naming == "both" and table.business_name == table.name:
        title = ""
    business_name = table.business_name if naming != "physical" else ""
    head = HEAD_OF_BOTH if title and business_name else HEAD
    hidden = len(table.columns) - len(rows)
    described = sum(bool(column.definition) for column in table.columns) / max(1, len(table.columns))
    foot = FOOT if depth != "names" and hidden else 6.0 if rows else 0.0
    return Card(
        key=(table.schema, table.name), name=table.name, title=title, business_name=business_name, kind=table.kind, rows=rows,
        hidden=hidden, described=described, width=width or _width(title, business_name, table.schema, rows), height=head + ROW * len(rows) + foot,
        head=head, id=table.id, part=table.table_role,
    )  # fmt: skip


def _shown(table: Table, depth: Depth, roles: Mapping[str, Role]) -> list[Column]:
    if depth == "names":
        return []
    keys = [column for column in table.columns if roles.get(column.name, Role(0)) & Role.PRIMARY]
    others = [column for column in table.columns if column not in keys]
    if depth == "keys":
        others = [column for column in others if column.name in roles]
    return [*keys, *others]


def _row(column: Column, depth: Depth, naming: Naming, roles: Role) -> Row:
    is_business = naming == "business" and bool(column.business_name)
    label = column.business_name if is_business else column.name
    text = column.definition.strip().splitlines()[0] if depth == "full" and column.definition.strip() else ""
    if len(text) > _DEFINITION:
        text = f"{text[: _DEFINITION - 1].rstrip()}…"
    type_ = shorten(column.type) if depth in ("columns", "full") else ""
    if depth == "full" and column.nullable and type_:
        type_ += "?"
    return Row(
        column.name,
        label,
        " ".join(short_forms(roles)),
        type_,
        bool(roles & Role.PRIMARY),
        column.nullable,
        text,
        is_business,
    )


def _width(title: str, business_name: str, schema: str, rows: Iterable[Row]) -> float:
    widest = max(
        2 * EDGE + _MACHINE_TITLE * len(title),
        2 * EDGE + _TITLE * len(business_name),
        2 * EDGE + 18 + 6.2 * len(schema),
    )
    for row in rows:
        letters = _MACHINE * len(row.label) + _MACHINE_SMALL * len(row.type) + 5.4 * len(row.definition)
        gaps = 10.0 * (bool(row.type) + bool(row.definition))
        widest = max(widest, NAME_AT + letters + gaps + EDGE)
    return float(ceil(min(_WIDEST, max(_NARROWEST, widest))))


def row_height(card: Card, column: str) -> float:
    """Return how far below the card's top a line to a column begins: at its row, or at the head where it is hidden."""
    for number, row in enumerate(card.rows):
        if row.column == column:
            return card.head + ROW * number + ROW / 2
    return card.head / 2


def lines_between(tables: Iterable[Table]) -> list[Line]:
    """Return the relationships between these tables, in the order of the tables."""
    tables = list(tables)
    there: dict[Key, str] = {(table.schema, table.name): table.id for table in tables}
    found = []
    for table in tables:
        for key in table.foreign_keys:
            parent = (key.ref_schema, key.ref_table)
            if parent not in there:
                continue
            means = relationship(table, key)
            line = Line(
                name=key.name, child=(table.schema, table.name), parent=parent, columns=key.columns, ref_columns=key.ref_columns,
                identifying=means.identifying, optional=means.optional, one_to_one=means.one_to_one, asserted=key.asserted, ends=(table.id, there[parent]),
            )  # fmt: skip
            line.words = in_words(line, key.phrase, key.phrase_back)
            found.append(line)
    return found


def in_words(line: Line, phrase: str = "", phrase_back: str = "") -> str:
    """Tell a relationship as a sentence: "Each mtr_rdg refers to exactly one mtr by mtr_id; a mtr has any number of them".

    The verbs are those that people gave it, where they did.
    """
    parent = "at most one" if line.optional else "exactly one"
    many = "at most one" if line.one_to_one else "any number"
    how = "identifying" if line.identifying else "non-identifying"
    kind = f"{how}, asserted" if line.asserted else how
    return (
        f"Each {line.child[1]} {phrase or 'refers to'} {parent} {line.parent[1]} by {', '.join(line.columns)}; "
        f"{line.parent[1]} {phrase_back or 'has'} {many} of {line.child[1]} ({kind})"
    )
