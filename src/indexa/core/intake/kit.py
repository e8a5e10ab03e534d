"""Reads the result of a field kit: one row a column of a table, one more for each further key it is part of."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from sys import intern
from typing import Any

import msgspec

from indexa.core.errors import CoreError
from indexa.core.intake.catalog import CatalogBuilder
from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Column, ForeignKey, Key, Model, Table

MEMBERS = (
    "schema_name", "table_name", "table_kind", "column_position", "column_name", "data_type", "nullable", "default_value", "generation",
    "key_kind", "key_name", "key_position", "ref_schema", "ref_table", "ref_column", "table_description", "column_description",
)  # fmt: skip
"""The columns of a result, by the names that the kit gives them; clients may change case and order."""
NEEDED = ("table_name", "column_name")
MOST_ROWS = 5_000_000
_EMPTY = frozenset({"", "NULL", "null", "\\N", "(null)", "<null>", "[NULL]"})
_KINDS: dict[str, Any] = {
    kind: kind for kind in ("table", "view", "materialized view", "partitioned table", "foreign table")
}
_ROW_COUNT = re.compile(r"^\W*(\d[\d,. ]*?)\s*(?:rows?|record|zeile|ligne|tuple|fila)\b", re.I)
_RULE = re.compile(r"^[\s+|=_-]*$")
_ENDS_ALIKE = 8


class KitError(CoreError):
    """A file is no result of a field kit. The text says what is missing and what to do."""

    code = "kit.unreadable"


class _Row(msgspec.Struct, gc=False):
    schema_name: str = ""
    table_name: str = ""
    table_kind: str = ""
    column_position: str = ""
    column_name: str = ""
    data_type: str = ""
    nullable: str = ""
    default_value: str = ""
    generation: str = ""
    key_kind: str = ""
    key_name: str = ""
    key_position: str = ""
    ref_schema: str = ""
    ref_table: str = ""
    ref_column: str = ""
    table_description: str = ""
    column_description: str = ""


def rows_of_text(text: str) -> Iterator[tuple[int, list[str]]]:
    """Take a delimited text apart: line number and cells of each row. Any common delimiter; a ruled table as well.

    Raises KitError where the text is not of that form.
    """
    lines = text.split("\n", 40)
    header = next((line for line in lines if "table_name" in line.lower().replace('"', "").replace(" ", "_")), None)
    if header is None:
        raise KitError(
            "No line with the names of the columns was found. Save the result with its column names, table_name among them."
        )
    delimiter = max(",;\t|", key=header.count)
    if delimiter == "|" and any(_RULE.match(line) and "-" in line for line in lines):
        yield from _ruled(text)
        return
    csv.field_size_limit(1_000_000)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    try:
        for cells in reader:
            yield reader.line_num, cells
    except csv.Error as error:
        raise KitError(f"Line {reader.line_num} can't be read: {error}. Save the result as CSV once more.") from None


def _ruled(text: str) -> Iterator[tuple[int, list[str]]]:
    for number, line in enumerate(text.split("\n"), 1):
        if line.strip() and not _RULE.match(line):
            yield number, [cell.strip() for cell in line.strip().strip("|").split("|")]


def read_kit(
    rows: Iterable[tuple[int, list[str]]],
    platform: str,
    choice: Choice,
    tick: Callable[[str, int, int], None],
    name: str,
    canonical_type: Callable[[str], str] = str,
) -> tuple[Model, Receipt]:
    """Build the model of a result. `rows` are numbered as in the file; the header is looked for among the first."""
    reading = _KitReading(platform, choice, name, canonical_type)
    for count, (number, cells) in enumerate(rows):
        if count > MOST_ROWS:
            raise KitError(f"The result has more than {MOST_ROWS:,} rows. Run the kit for fewer schemas at a time.")
        if not count % 5000:
            tick("Reading rows", min(count // 5000, 98), 100)
        reading.take(number, cells)
    tick("Joining what belongs together", 99, 100)
    return reading.finish()


class _KitReading:
    def __init__(self, platform: str, choice: Choice, name: str, canonical_type: Callable[[str], str]) -> None:
        self._builder = CatalogBuilder(name, platform, choice)
        self._canonical = canonical_type
        self._places: list[str] | None = None
        self._tables: dict[tuple[str, str], Table] = {}
        self._skipped: set[tuple[str, str]] = set()
        self._columns: dict[tuple[str, str], dict[str, tuple[float, Column]]] = {}
        self._keys: dict[tuple[str, str, str, str], list[tuple[float, _Row]]] = {}
        self._said_rows: int | None = None
        self._read_rows = 0
        self._lengths: dict[str, Counter[int]] = {
            member: Counter() for member in ("default_value", "table_description", "column_description")
        }

    def take(self, number: int, cells: list[str]) -> None:
        """Take one row: the header, a column, or what a client writes below."""
        if not any(cell.strip() for cell in cells):
            return
        if self._places is None:
            self._find_header(number, cells)
            return
        if len([cell for cell in cells if cell.strip()]) == 1 and (found := _ROW_COUNT.match("".join(cells))):
            self._said_rows = int(re.sub(r"\D", "", found[1]))
            return
        row = self._row(cells)
        if not row.table_name or not row.column_name:
            self._builder.note("left out", "rows", "Table or column is missing in the row.", 1, f"line {number}")
            return
        self._read_rows += 1
        self._take_row(row, number)

    def _find_header(self, number: int, cells: list[str]) -> None:
        names = [re.sub(r"\W+", "_", cell.strip().lower().lstrip("\ufeff")).strip("_") for cell in cells]
        if "table_name" not in names:
            if number > 40:
                raise KitError(
                    "No line with the names of the columns was found. Save the result with its column names."
                )
            return
        missing = [member for member in NEEDED if member not in names]
        if missing:
            raise KitError(
                f"The result has no column {' and '.join(missing)}. Run the field kit as it is and save all its columns."
            )
        self._places = names
        for member in MEMBERS:
            if member not in names:
                self._builder.note(
                    "left out",
                    member.replace("_", " "),
                    "The result has no such column: a client cut it off, or it was taken out.",
                    0,
                )

    def _row(self, cells: list[str]) -> _Row:
        row = _Row()
        assert self._places is not None
        for member, cell in zip(self._places, cells, strict=False):
            if cell not in _EMPTY and member in MEMBERS:
                setattr(
                    row,
                    member,
                    cell.strip()
                    if member not in ("default_value", "table_description", "column_description")
                    else cell,
                )
        return row

    def _take_row(self, row: _Row, number: int) -> None:
        path = (row.schema_name, row.table_name)
        if path in self._skipped:
            return
        if path not in self._tables:
            kind = _KINDS.get(row.table_kind.lower(), "view" if "view" in row.table_kind.lower() else "table")
            table = Table(schema=row.schema_name, name=row.table_name, kind=kind, comment=row.table_description)
            if not self._builder.take(table):
                self._skipped.add(path)
                return
            self._tables[path], self._columns[path] = table, {}
        columns = self._columns[path]
        if row.column_name not in columns:
            for member, lengths in self._lengths.items():
                if message := getattr(row, member):
                    lengths[len(message)] += 1
            columns[row.column_name] = (_number(row.column_position, len(columns) + 1), self._column(row))
            if not row.data_type:
                self._builder.note(
                    "adapted",
                    "columns",
                    "The result does not say their type.",
                    1,
                    f"{row.table_name}.{row.column_name}, line {number}",
                )
        if row.key_kind:
            members = self._keys.setdefault((*path, row.key_kind.lower(), row.key_name), [])
            members.append((_number(row.key_position, len(members) + 1), row))

    def _column(self, row: _Row) -> Column:
        column = Column(
            row.column_name,
            0,
            intern(self._canonical(row.data_type)) if row.data_type else "",
            _may_be_null(row.nullable),
        )
        column.default = row.default_value or None
        column.comment = row.column_description
        message = row.generation.lower()
        if message.startswith("identity"):
            column.identity = "always" if "always" in message else "by default"
        elif message.startswith("generated:"):
            column.generated = row.generation.partition(":")[2].strip()
        return column

    def finish(self) -> tuple[Model, Receipt]:
        """Order columns and keys and hand the model out."""
        if self._places is None:
            raise KitError(
                "No line with the names of the columns was found. Save the result with its column names, table_name among them."
            )
        for path, columns in self._columns.items():
            for _, column in sorted(columns.values(), key=lambda placed: placed[0]):
                self._builder.add_column(self._tables[path], column)
        for (schema, table_name, kind, name), members in self._keys.items():
            self._take_key(
                self._tables[schema, table_name],
                kind,
                name,
                [row for _, row in sorted(members, key=lambda placed: placed[0])],
            )
        if self._said_rows is not None and self._said_rows != self._read_rows:
            reason = f"The client says that the result has {self._said_rows:,} rows, and {self._read_rows:,} are here."
            self._builder.note("left out", "rows", reason, abs(self._said_rows - self._read_rows))
        for member, lengths in self._lengths.items():
            longest = max(lengths, default=0)
            if longest >= 16 and lengths[longest] >= _ENDS_ALIKE and lengths[longest] > sum(lengths.values()) // 10:
                reason = f"{lengths[longest]} of them end after {longest} letters: the client may have cut them."
                self._builder.note("adapted", member.replace("_", " ") + "s", reason, lengths[longest])
        self._builder.note(
            "left out",
            "indexes and checks",
            "A field kit does not ask for them, nor for triggers, routines and what a foreign key does.",
            0,
        )
        return self._builder.finish()

    def _take_key(self, table: Table, kind: str, name: str, rows: list[_Row]) -> None:
        columns = tuple(row.column_name for row in rows)
        name = "" if name.startswith("#") else name  # a number that only holds a nameless key together
        if kind.startswith("p"):
            table.primary_key = Key(name=name, columns=columns)
        elif kind.startswith("u"):
            table.unique.append(Key(name=name, columns=columns))
        elif kind.startswith("f") and rows[0].ref_table:
            ref_columns = tuple(row.ref_column for row in rows)
            table.foreign_keys.append(
                ForeignKey(
                    name=name,
                    columns=columns,
                    ref_schema=rows[0].ref_schema or table.schema,
                    ref_table=rows[0].ref_table,
                    ref_columns=ref_columns if all(ref_columns) else (),
                )
            )
        elif kind in ("distribution", "sort"):
            table.options = (*table.options, f"{kind} key: {', '.join(columns)}")
        else:
            self._builder.note("left out", "keys", f"A key of a kind that is not known: {kind}.", 1, table.full_name)


def _number(text: str, otherwise: int) -> float:
    try:
        return float(text)
    except ValueError:
        return float(otherwise)


def _may_be_null(said: str) -> bool:
    return said.strip().upper()[:1] not in ("N", "0", "F") if said else True
