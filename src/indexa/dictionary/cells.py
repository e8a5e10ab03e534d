"""Cells of the dictionary's grid: many values of many columns, written as one change set where nobody wrote others meanwhile."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import msgspec
from django.db import transaction
from django.template.loader import render_to_string

from indexa.areas.models import Area, Person
from indexa.changes.recording import record
from indexa.core.dictionary.round_trip import SheetRow
from indexa.describing import saying
from indexa.describing.models import Aspect, Assignment
from indexa.dictionary import sheet_columns
from indexa.dictionary.search import aspect_of
from indexa.modeling import editing
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing
from indexa.store.models import DescribedColumn, StoredColumn

MOST_CELLS = 5_000
_MOST_SHOWN = 500
"""Columns of which the answer tells what they show now: those that were set, and those that share an attribute with them."""


class Cell(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A value for a field of a column ("business_name", "definition", or "a3" for what is said under an aspect), in words.

    `seen` is what the cell showed to its writer.
    """

    column: int
    field: str
    value: str
    seen: str = ""


class Conflict(NamedTuple):
    """A cell that was not written, because it shows something else than its writer saw: `theirs`."""

    column: int
    field: str
    theirs: str


class Written(NamedTuple):
    """What came of cells: those in conflict, and the columns that may show something else now."""

    conflicts: list[Conflict]
    columns: list[int]


class _Target(NamedTuple):
    column: int
    model: int


@transaction.atomic
def set_cells(*, area: Area, person: Person, cells: Sequence[Cell]) -> Written:
    """Write cells. Words go where the column's words come from: its own where it overrides, else its attribute's.

    Cells in conflict are told and left; of the others all are written, or none: raises EditError, which names the column, for a
    column that is not there, a value that can't be kept, and two values for one attribute.
    """
    latest = {(cell.column, cell.field): cell for cell in cells}
    now = {
        row.key: row for row in sheet_columns.rows_of(area, sorted({cell.column for cell in cells}), with_tables=False)
    }
    aspects = {f"a{one.pk}": one for one in Aspect.objects.filter(area=area, applies__contains=["column"])}
    conflicts: list[Conflict] = []
    wanted: list[tuple[Cell, str]] = []
    for cell in latest.values():
        row = now.get(f"c{cell.column}")
        if row is None:
            raise EditError("Some of these columns are no longer there. Load the page again.")
        shown, value = row.values.get(cell.field, ""), _checked(cell, aspects, row)
        if _words(cell.field, value, aspects) == shown:
            continue
        if shown != cell.seen.replace("\r\n", "\n").strip():
            conflicts.append(Conflict(cell.column, cell.field, shown))
        else:
            wanted.append((cell, value))
    targets = _targets([cell for cell, _ in wanted])
    if not all(try_for_editing(model) for model in sorted({target.model for target in targets.values()})):
        raise EditError("A model is being read at this moment. Nothing was changed: try again in half a minute.")
    models = {target.model for target in targets.values()}
    why = f"Set {len(wanted):,} cell{'' if len(wanted) == 1 else 's'} in the dictionary"
    with record(area=area, person=person, why=why, model_id=models.pop() if len(models) == 1 else None) as changes:
        for field, values in _by_field(wanted, targets, now).items():
            if field in aspects:
                saying.say_into(changes, area=area, aspect=aspects[field], level="column", values=values)
            else:
                seen = {
                    targets[cell].column: now[f"c{cell.column}"].values[field]
                    for cell, _ in wanted
                    if cell.field == field
                }
                rows = [("column", id_, seen[id_], value) for id_, value in values.items()]
                editing.write_into(changes, area=area, field=field, values=rows)
    reached = {target.column for target in targets.values()}
    sharing = StoredColumn.objects.filter(attribute__in=reached, table__model__area=area).values_list("pk", flat=True)
    columns = dict.fromkeys([*(cell.column for cell in latest.values()), *sharing[:_MOST_SHOWN]])
    return Written(conflicts, list(columns))


def _checked(cell: Cell, aspects: dict[str, Aspect], row: SheetRow) -> str:
    """Return the value of a cell as it is kept."""
    label = ".".join(part for part in row.shown[1:4] if part)
    try:
        if cell.field in aspects:
            return saying.kept(aspects[cell.field], cell.value)
        return editing.checked(cell.field, cell.value)
    except EditError as error:
        raise EditError(f"{label}: {error}") from error


def _words(field: str, value: str, aspects: dict[str, Aspect]) -> str:
    return saying.in_words([value]).get(value, value) if field in aspects else value


def _targets(cells: Sequence[Cell]) -> dict[Cell, _Target]:
    """Return what is written for each cell: the column where it says something of its own, else what it implements."""
    ids = {cell.column for cell in cells}
    found = {
        row["pk"]: row
        for row in StoredColumn.objects.filter(pk__in=ids).values(
            "pk", "attribute_id", "business_name", "definition", "table__model_id"
        )
    }
    said = set(
        Assignment.objects.filter(level="column", object_id__in=ids)
        .exclude(value="")
        .values_list("object_id", "aspect_id")
    )
    targets = {}
    for cell in cells:
        row: Any = found[cell.column]
        own = (cell.column, aspect_of(cell.field)) in said if aspect_of(cell.field) else bool(row[cell.field])
        targets[cell] = _Target(cell.column if own else row["attribute_id"] or cell.column, row["table__model_id"])
    return targets


def _by_field(
    wanted: Sequence[tuple[Cell, str]], targets: dict[Cell, _Target], now: dict[str, SheetRow]
) -> dict[str, dict[int, str]]:
    found: dict[str, dict[int, str]] = {}
    for cell, value in wanted:
        given = found.setdefault(cell.field, {})
        if given.setdefault(targets[cell].column, value) != value:
            label = ".".join(part for part in now[f"c{cell.column}"].shown[1:4] if part)
            raise EditError(
                f"{label} shares its attribute with another of these columns, and the two values differ. Set one of them."
            )
    return found


def shown_now(area: Area, columns: Sequence[int], fields: Sequence[str]) -> dict[int, dict[str, dict[str, str]]]:
    """Return by column and field what the cells show now: the value, and the cell's content as HTML."""
    described = DescribedColumn.objects.in_bulk(list(columns))
    found: dict[int, dict[str, dict[str, str]]] = {}
    for row in sheet_columns.rows_of(area, list(columns), with_tables=False):
        column = described.get(int(row.key[1:]))
        if column is None:
            continue
        found[column.pk] = {
            field: {
                "value": row.values.get(field, ""),
                "html": render_to_string(
                    "dictionary/_cell.html",
                    {"field": field, "c": column, "words": row.values.get(field, ""), "terms": ()},
                ),
            }
            for field in fields
        }
    return found
