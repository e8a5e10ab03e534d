"""What the rows of a source should be asked: only what would make a likely key or reference surer or refute it."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from indexa.core.infer.data import Inclusion, Uniqueness
from indexa.core.infer.proposing import Proposing, Tell
from indexa.core.infer.signs import UNLIKE
from indexa.core.infer.uniques import telling_columns
from indexa.core.model import Model, Table
from indexa.core.naming.wordbook import Stack

_LEAST = 0.03
_CHOICES = 3


class Questions(msgspec.Struct):
    """Questions to the rows, the likeliest first; `indexed` are those whose answer takes an index of the other table."""

    unique: list[Uniqueness]
    included: list[Inclusion]
    indexed: set[tuple[str, str, str]]
    """Schema, table and column of keys and leading columns of indexes."""


def questions(model: Model, stack: Stack | None = None, tell: Tell | None = None) -> Questions:
    """Return what to ask of a model's source before proposing."""
    proposing = Proposing(model, stack, None, tell)
    unique: list[tuple[float, Uniqueness]] = []
    included: list[tuple[float, Inclusion]] = []
    for number, one in enumerate(proposing.names.tables):
        table = one.table
        if not table.primary_key:
            for key in proposing.keys[number][:_CHOICES]:
                if key.confidence >= _LEAST:
                    unique.append((key.confidence, (table.schema, table.name, key.columns)))
        for told, likely, _ in telling_columns(proposing.names, number, proposing.key_of(number)):
            unique.append((likely, (table.schema, table.name, (told.name,))))
        for column, made in proposing.weigher.choices(number).items():
            for choice in made[:_CHOICES]:
                # A database may refuse to compare a number with a text.
                if choice.confidence >= _LEAST and UNLIKE not in choice.features:
                    theirs = proposing.names.tables[choice.target.table].table
                    asked = (table.schema, table.name, column, theirs.schema, theirs.name, choice.target.column)
                    included.append((choice.confidence, asked))
    unique.sort(key=lambda one: -one[0])
    included.sort(key=lambda one: -one[0])
    return Questions(
        [asked for _, asked in unique],
        [asked for _, asked in included],
        {place for table in model.tables for place in _led(table)},
    )


def _led(table: Table) -> Iterator[tuple[str, str, str]]:
    leading = [table.primary_key.columns[0]] if table.primary_key else []
    leading += [key.columns[0] for key in table.unique]
    leading += [index.parts[0].column for index in table.indexes if index.parts and index.method == "btree"]
    for column in leading:
        if column:
            yield table.schema, table.name, column
