"""What the rows of a source should be asked: only what would make a proposal surer or refute it."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from indexa.core.infer.data import Inclusion, Repeat, Uniqueness
from indexa.core.infer.keys import KeyChoice
from indexa.core.infer.names import SchemaNames
from indexa.core.infer.proposing import Proposing, Tell
from indexa.core.infer.reference import Reference
from indexa.core.infer.repeated import holders, pairs
from indexa.core.infer.roles import references_of, roles
from indexa.core.infer.signs import UNLIKE
from indexa.core.infer.uniques import telling_columns
from indexa.core.model import Model, Table
from indexa.core.naming.wordbook import Stack

_LEAST = 0.03
_CHOICES = 3
_LEAST_KEY, _KEYS = 0.01, 6
_LIKELY, _CERTAIN = 0.2, 0.97


class Questions(msgspec.Struct):
    """Questions to the rows, the likeliest first; `indexed` are those whose answer takes an index of the other table."""

    unique: list[Uniqueness]
    included: list[Inclusion]
    indexed: set[tuple[str, str, str]]
    """Schema, table and column of keys and leading columns of indexes."""
    counted: list[tuple[str, str]] = []
    """Schemas and names of tables whose rows are to be counted."""
    repeated: list[Repeat] = []


def questions(model: Model, stack: Stack | None = None, tell: Tell | None = None) -> Questions:
    """Return what to ask of a model's source before proposing."""
    proposing = Proposing(model, stack, None, tell)
    unique: list[tuple[float, Uniqueness]] = []
    included: list[tuple[float, Inclusion]] = []
    for number, one in enumerate(proposing.names.tables):
        table = one.table
        if not table.primary_key:
            asked_of = {
                (table.schema, table.name, columns): likely for columns, likely in _keys(proposing.keys[number])
            }
            unique += [(likely, question) for question, likely in asked_of.items()]
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
    references = references_of(proposing.weigher, proposing.references())
    return Questions(
        [asked for _, asked in unique],
        [asked for _, asked in included],
        {place for table in model.tables for place in _led(table)},
        _counted(proposing, references),
        _repeated(proposing.names, references),
    )


def _repeated(names: SchemaNames, references: dict[int, list[Reference]]) -> list[Repeat]:
    """Return the columns that may repeat others, the likeliest first; each once for a table that it may repeat."""
    held = holders(names)
    found = [pair for number, out in references.items() for pair in pairs(names, held, number, out)]
    found.sort(key=lambda pair: -pair.confidence * pair.reference.confidence)
    return [pair.question(names) for pair in found]


def _counted(proposing: Proposing, references: dict[int, list[Reference]]) -> list[tuple[str, str]]:
    """Return the tables that look as those of codes do."""
    return [
        (one.schema, one.table)
        for one in roles(proposing.names, proposing.keys, references, None)
        if one.kind == "code_table"
    ]


def _keys(made: list[KeyChoice]) -> Iterator[tuple[tuple[str, ...], float]]:
    """Yield the columns that may be a table's key, and the parts of likely ones that might do alone, with how likely; of
    one column that is hardly in doubt only itself, as time for questions is bounded."""
    if made and made[0].confidence >= _CERTAIN and len(made[0].columns) == 1:
        yield made[0].columns, made[0].confidence
        return
    for key in made[:_KEYS]:
        if len(key.columns) > 1 and key.confidence >= _LIKELY:
            yield from (((column,), key.confidence) for column in key.columns)
    for key in made[:_KEYS]:
        if key.confidence >= _LEAST_KEY:
            yield key.columns, key.confidence


def _led(table: Table) -> Iterator[tuple[str, str, str]]:
    leading = [table.primary_key.columns[0]] if table.primary_key else []
    leading += [key.columns[0] for key in table.unique]
    leading += [index.parts[0].column for index in table.indexes if index.parts and index.method == "btree"]
    for column in leading:
        if column:
            yield table.schema, table.name, column
