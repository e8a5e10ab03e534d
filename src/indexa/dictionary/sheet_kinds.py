"""What a sheet can hold: each kind knows its rows, what a cell can be, and how what was written is applied."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

from indexa.areas.models import Area, Person
from indexa.changes.recording import Recorder
from indexa.core.dictionary.round_trip import CellChange, SheetField, SheetRow
from indexa.dictionary import sheet_codes, sheet_columns, sheet_terms
from indexa.dictionary.models import SheetCell


@dataclass(frozen=True)
class SheetKind:
    """A kind of sheet: what its rows are called, the headings of what is only shown, and what is done with cells.

    `rows_of` returns the rows of some keys, or (None) all of them; `problem_of` returns what says why a cell can't be taken (""
    where it can), for the person who handed it in; `apply` writes cells within a change set. With `takes_new`, rows without a
    key are new objects.
    """

    label: str
    fixed: Mapping[str, int]
    takes_new: bool
    fields_of: Callable[[Area], list[SheetField]]
    rows_of: Callable[[Area, Collection[str] | None], Iterator[SheetRow]]
    label_of: Callable[[SheetRow], str]
    problem_of: Callable[[Area, Person | None], Callable[[CellChange], str]]
    apply: Callable[[Recorder, Area, Sequence[SheetCell]], None]


KINDS = {
    "columns": SheetKind(
        "Tables and columns", sheet_columns.FIXED, False, sheet_columns.fields_of, sheet_columns.rows_of_keys, sheet_columns.label_of,
        sheet_columns.problem_of, sheet_columns.apply,
    ),
    "terms": SheetKind(
        "Terms", sheet_terms.FIXED, True, sheet_terms.fields_of, sheet_terms.rows_of, sheet_terms.label_of, sheet_terms.problem_of,
        sheet_terms.apply,
    ),
    "codes": SheetKind(
        "Codes", sheet_codes.FIXED, True, sheet_codes.fields_of, sheet_codes.rows_of, sheet_codes.label_of, sheet_codes.problem_of,
        sheet_codes.apply,
    ),
}  # fmt: skip
