"""Cells of a grid of columns: many values of many columns, set at once or not at all."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from indexa.core.building.changing import change_column
from indexa.core.building.parts import BuildError, Column, Part

FIELDS = ("name", "type", "required", "default")
_YES, _NO = {"yes", "y", "true", "1", "x", "not null"}, {"no", "n", "false", "0", "", "null"}
LONGEST = 400


class Cell(NamedTuple):
    """A value for a field of a column."""

    table: int
    column: int
    field: str
    value: str


def set_cells(part: Part, cells: Iterable[Cell]) -> None:
    """Set values. Raises BuildError that names the column for a value that it can't have."""
    for cell in cells:
        column = part.table(cell.table).column(cell.column)
        label = f"{part.table(cell.table).name}.{column.name}"
        try:
            _set(part, cell, column)
        except BuildError as error:
            raise BuildError(f"{label}: {error}") from error


def _set(part: Part, cell: Cell, column: Column) -> None:
    value = " ".join(cell.value.replace("\x00", "").split()) if cell.field != "default" else cell.value.strip()
    if len(value) > LONGEST:
        raise BuildError(f"That has {len(value)} characters; {LONGEST} are kept.")
    if cell.field == "name":
        change_column(part, cell.table, cell.column, name=value)
    elif cell.field == "type":
        change_column(part, cell.table, cell.column, type_=value)
    elif cell.field == "default":
        change_column(part, cell.table, cell.column, default=value)
    elif cell.field == "required":
        if value.lower() not in _YES | _NO:
            raise BuildError(f"“{value[:40]}” says neither yes nor no.")
        change_column(part, cell.table, cell.column, nullable=value.lower() in _NO)
    else:
        raise BuildError(f"“{cell.field[:40]}” is no field of a column.")


def values_of(column: Column) -> dict[str, str]:
    """Return what the cells of a column show."""
    return {
        "name": column.name,
        "type": column.type,
        "required": "no" if column.nullable else "yes",
        "default": column.default or "",
    }


def changed_values(before: Part, after: Part) -> dict[int, dict[str, str]]:
    """Return what the cells show of columns that are not as before, those too that follow others."""
    old = {column.id: values_of(column) for table in before.tables.values() for column in table.columns}
    new = {column.id: values_of(column) for table in after.tables.values() for column in table.columns}
    return {id_: values for id_, values in new.items() if old.get(id_) != values}
