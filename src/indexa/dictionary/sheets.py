"""Sheets of the dictionary out to colleagues and back: exported with keys, reviewed cell by cell, applied as one change set."""

from __future__ import annotations

import csv
import io
import secrets
import tempfile
import zlib
from collections.abc import Collection, Iterable, Iterator, Sequence
from pathlib import Path
from typing import IO

import msgspec
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.urls import reverse

from indexa.adapters.errors import SourceError
from indexa.adapters.kit_files import fault_of, file_rows
from indexa.areas.models import Area, Person
from indexa.changes.recording import record
from indexa.core.dictionary import round_trip
from indexa.core.dictionary.round_trip import CellChange, SheetError, SheetRow, Values
from indexa.core.errors import CoreError
from indexa.dictionary import sheet_columns
from indexa.dictionary.models import SheetCell, SheetExport, SheetReview
from indexa.dictionary.search import Query
from indexa.dictionary.sheet_kinds import KINDS, SheetKind
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress, Silent
from indexa.jobs.registry import Arguments, background
from indexa.store.errors import EditError

MOST_ROWS = 100_000
LARGEST = 100 * 1024 * 1024
_READ_AT_ONCE = 300_000
"""Bytes up to which a sheet is read while the person waits."""
_MOST_REMARKS = 200
_HINT = "Split the selection, and export it in parts."
Decision = SheetCell.Decision
State = SheetReview.State


def export(*, area: Area, person: Person | None, query: Query, progress: Progress | None = None) -> IO[bytes]:
    """Write what a query finds as a sheet to edit, and remember what it held. Raises EditError where that is too much."""
    ids = sheet_columns.ids_of(query)
    if len(ids) > MOST_ROWS:
        raise EditError(
            f"{len(ids):,} columns are too many for a sheet; {MOST_ROWS:,} fit. Narrow the selection first."
        )
    return _export(area, person, "columns", sheet_columns.rows_of(area, ids), progress or Silent(), len(ids))


def export_all(*, area: Area, person: Person | None, kind: str) -> IO[bytes]:
    """Write all terms, or all codes, of an area as a sheet to edit, and remember what it held."""
    return _export(area, person, kind, KINDS[kind].rows_of(area, None), Silent(), 0)


def _export(
    area: Area, person: Person | None, name: str, rows_to_write: Iterable[SheetRow], progress: Progress, total: int
) -> IO[bytes]:
    kind, mark = KINDS[name], secrets.token_hex(8)
    fields = kind.fields_of(area)
    held: dict[str, Values] = {}
    stream: IO[bytes] = tempfile.SpooledTemporaryFile(max_size=2_000_000)  # noqa: SIM115  the response closes it

    def remembered() -> Iterator[SheetRow]:
        for number, row in enumerate(rows_to_write):
            if number % 1_000 == 0:
                progress.report("Writing the sheet", number, total)
            held[row.key] = row.values
            yield row

    rows = round_trip.write_sheet(stream, mark, f"{area.name}, to be edited", fields, remembered(), kind.fixed)
    SheetExport.objects.create(
        area=area, mark=mark, kind=name, person=person, fields={field.name: field.title for field in fields}, rows=rows,
        content=zlib.compress(msgspec.json.encode(held), 1),
    )  # fmt: skip
    stream.seek(0)
    return stream


class SheetArguments(Arguments):
    """Which sheet is read."""

    review: int


def hand_in(*, area: Area, person: Person, file: UploadedFile[bytes]) -> tuple[SheetReview, Job | None]:
    """Take a sheet that came back: read at once where it is small, else in a job. Raises EditError for one that is none."""
    if (file.size or 0) > LARGEST:
        raise EditError(f"{file.name} is larger than {LARGEST // 1024**2} MB. {_HINT}")
    with transaction.atomic():
        review = SheetReview.objects.create(area=area, name=(file.name or "sheet")[-255:], by=person, file=file.read())
        if (file.size or 0) > _READ_AT_ONCE:
            title = f"Reading the sheet {review.name}"[:200]
            return review, jobs.start(area=area, kind="sheet", title=title, person=person, review=review.pk)
        read(review, Silent())
    return review, None


@background("sheet", SheetArguments)
def read_in_background(job: Job, progress: Progress) -> str:
    """Read a large sheet."""
    review = SheetReview.objects.filter(pk=job.arguments["review"], area=job.area).first()
    if review is None:
        raise JobFailedError("The sheet was deleted.")
    if review.state == State.READING:
        try:
            read(review, progress)
        except EditError as error:
            raise JobFailedError(str(error)) from error
    return reverse("dictionary:sheet", args=[job.area.slug, review.pk])


def read(review: SheetReview, progress: Progress) -> None:
    """Compare a sheet with what was exported and with what is here now. Raises EditError where it is none of this area's."""
    progress.report("Reading the sheet")
    lines = list(_lines(review))
    export = _export_of(review, lines)
    kind = KINDS[export.kind]
    fields = kind.fields_of(review.area)
    try:
        content = round_trip.read_sheet(lines, fields, takes_new=kind.takes_new)
    except SheetError as error:
        raise EditError(fault_of(review.name, error)) from error
    exported = msgspec.json.decode(zlib.decompress(export.content), type=dict[str, Values])
    progress.report("Comparing with what is here now")
    now = {row.key: row for row in kind.rows_of(review.area, [key for key in content.rows if key in exported])}
    titles = {field.name: field.title for field in fields}
    found = round_trip.changes(exported, content, {key: row.values for key, row in now.items()})
    SheetCell.objects.bulk_create(_checked(review, kind, found, now, titles), batch_size=2_000)
    review.remarks = round_trip.unmatched(exported, content, now, titles)[:_MOST_REMARKS]
    review.export, review.state, review.file = export, State.WAITING, None
    review.save()


def _lines(review: SheetReview) -> Iterator[tuple[int, Sequence[str]]]:
    with tempfile.NamedTemporaryFile(suffix=".sheet") as file:
        file.write(bytes(review.file or b""))
        file.flush()
        try:
            yield from file_rows(review.name, Path(file.name), _rows_of_text, _HINT)
        except SourceError as error:
            raise EditError(f"{error.message} {error.hint}") from error
        except (SheetError, CoreError) as error:
            raise EditError(fault_of(review.name, error)) from error


def _export_of(review: SheetReview, lines: Sequence[tuple[int, Sequence[str]]]) -> SheetExport:
    """Return what a sheet was exported as, by the mark at its top. Raises EditError where it has none, or one of another area."""
    try:
        mark = round_trip.mark_of(lines)
    except SheetError as error:
        raise EditError(fault_of(review.name, error)) from error
    export = SheetExport.objects.filter(mark=mark).first()
    if export is None or export.area_id != review.area_id:
        where = "another area" if export is not None else "nobody knows where, or its export was deleted"
        raise EditError(
            f"{review.name} was exported in {where}. Export the selection here again, and copy the texts over."
        )
    return export


def _rows_of_text(text: str) -> Iterator[tuple[int, list[str]]]:
    first = text.split("\n", 4)[:4]
    sign = max(",;\t", key=lambda one: sum(line.count(one) for line in first))
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=sign)
    try:
        for cells in reader:
            yield reader.line_num, [cell.removeprefix("'") for cell in cells]
    except csv.Error as error:
        raise SheetError(f"line {reader.line_num} can't be read: {error}") from None


def _checked(
    review: SheetReview, kind: SheetKind, found: list[CellChange], now: dict[str, SheetRow], titles: dict[str, str]
) -> list[SheetCell]:
    """Return the cells as they are kept, each with what is in its way; conflicts are kept as they are here until somebody decides."""
    problem_of = kind.problem_of(review.area, review.by)
    labels = {key: kind.label_of(row) for key, row in now.items()}
    cells = []
    for number, one in enumerate(found):
        problem = problem_of(one)
        cells.append(
            SheetCell(
                review=review, number=number, line=one.line, key=one.key, label=labels.get(one.key, "a new row"), field=one.field,
                title=titles.get(one.field, one.field), exported=one.exported, written=one.written, now=one.now, conflict=one.is_conflict,
                problem=problem, decision=Decision.KEEP if problem or one.is_conflict else Decision.TAKE,
            )
        )  # fmt: skip
    return cells


@transaction.atomic
def decide(*, review: SheetReview, numbers: Collection[int] | None, decision: str, only: str = "") -> int:
    """Decide some cells, or (None) all that can be taken; `only` narrows to "conflicts". Returns how many changed."""
    if decision not in Decision.values:
        raise EditError(f"“{decision[:20]}” is no decision.")
    cells = review.cells.filter(problem="").exclude(decision=decision)
    if numbers is not None:
        cells = cells.filter(number__in=list(numbers))
    if only == "conflicts":
        cells = cells.filter(conflict=True)
    return cells.update(decision=decision)


def discard(review: SheetReview) -> None:
    """Take nothing of a sheet."""
    SheetReview.objects.filter(pk=review.pk, state__in=[State.WAITING, State.READING]).update(
        state=State.DISCARDED, file=None
    )


@transaction.atomic
def apply(*, review: SheetReview, person: Person) -> int:
    """Write all cells that are to be taken, as one change set; returns how many changed.

    Raises EditError where the sheet was decided already, and where something is in the way of all of it.
    """
    review = SheetReview.objects.select_for_update(of=("self",)).select_related("area", "export").get(pk=review.pk)
    if review.state != State.WAITING or review.export is None:
        raise EditError("This sheet is decided already.")
    cells = list(review.cells.filter(decision=Decision.TAKE, problem="").order_by("number"))
    if not cells:
        raise EditError("Nothing of the sheet is to be taken.")
    with record(area=review.area, person=person, why=f"Sheet {review.name}"[:300]) as changes:
        KINDS[review.export.kind].apply(changes, review.area, cells)
    review.state, review.applied = State.APPLIED, len(cells)
    review.save(update_fields=["state", "applied"])
    return len(cells)
