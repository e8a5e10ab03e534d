"""Sheets of the dictionary out to colleagues and back: exported with keys, reviewed cell by cell, applied as one change set."""

from __future__ import annotations

import csv
import io
import secrets
import tempfile
import zlib
from collections.abc import Collection, Iterator
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
from indexa.core.dictionary.round_trip import CellChange, SheetContent, SheetError, SheetField, SheetRow, Values
from indexa.core.errors import CoreError
from indexa.describing import saying
from indexa.describing.models import Aspect
from indexa.dictionary import sheet_rows
from indexa.dictionary.models import SheetCell, SheetExport, SheetReview
from indexa.dictionary.search import Query, aspect_of
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress, Silent
from indexa.jobs.registry import Arguments, background
from indexa.modeling import editing
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing
from indexa.store.models import StoredColumn, StoredTable

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
    ids = sheet_rows.ids_of(query)
    if len(ids) > MOST_ROWS:
        raise EditError(
            f"{len(ids):,} columns are too many for a sheet; {MOST_ROWS:,} fit. Narrow the selection first."
        )
    fields, mark = sheet_rows.fields_of(area), secrets.token_hex(8)
    held: dict[str, Values] = {}
    stream: IO[bytes] = tempfile.SpooledTemporaryFile(max_size=2_000_000)  # noqa: SIM115  the response closes it

    def remembered() -> Iterator[SheetRow]:
        for number, row in enumerate(sheet_rows.rows_of(area, ids)):
            if progress is not None and number % 1_000 == 0:
                progress.report("Writing the sheet", number, len(ids))
            held[row.key] = row.values
            yield row

    rows = round_trip.write_sheet(stream, mark, f"{area.name}, to be edited", fields, remembered())
    SheetExport.objects.create(
        area=area, mark=mark, person=person, fields={field.name: field.title for field in fields}, rows=rows,
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
    fields = sheet_rows.fields_of(review.area)
    content = _content(review, fields)
    export = SheetExport.objects.filter(mark=content.mark.split(" ")[0]).first()
    if export is None or export.area_id != review.area_id:
        where = "another area" if export is not None else "nobody knows where, or its export was deleted"
        raise EditError(
            f"{review.name} was exported in {where}. Export the selection here again, and copy the texts over."
        )
    exported = msgspec.json.decode(zlib.decompress(export.content), type=dict[str, Values])
    progress.report("Comparing with what is here now")
    now = _now(review.area, [key for key in content.rows if key in exported])
    titles = {field.name: field.title for field in fields}
    found = round_trip.changes(exported, content, {key: row.values for key, row in now.items()})
    cells = _checked(review, found, now, titles)
    SheetCell.objects.bulk_create(cells, batch_size=2_000)
    review.remarks = round_trip.unmatched(exported, content, now, titles)[:_MOST_REMARKS]
    review.export, review.state, review.file = export, State.WAITING, None
    review.save()


def _content(review: SheetReview, fields: list[SheetField]) -> SheetContent:
    with tempfile.NamedTemporaryFile(suffix=".sheet") as file:
        file.write(bytes(review.file or b""))
        file.flush()
        try:
            return round_trip.read_sheet(file_rows(review.name, Path(file.name), _rows_of_text, _HINT), fields)
        except SourceError as error:
            raise EditError(f"{error.message} {error.hint}") from error
        except (SheetError, CoreError) as error:
            raise EditError(fault_of(review.name, error)) from error


def _rows_of_text(text: str) -> Iterator[tuple[int, list[str]]]:
    first = text.split("\n", 4)[:4]
    sign = max(",;\t", key=lambda one: sum(line.count(one) for line in first))
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=sign)
    try:
        for cells in reader:
            yield reader.line_num, [cell.removeprefix("'") for cell in cells]
    except csv.Error as error:
        raise SheetError(f"line {reader.line_num} can't be read: {error}") from None


def _now(area: Area, keys: Collection[str]) -> dict[str, SheetRow]:
    columns = [int(key[1:]) for key in keys if key[0] == "c"]
    tables = [int(key[1:]) for key in keys if key[0] == "t"]
    return {row.key: row for row in sheet_rows.rows_of(area, columns, tables, with_tables=False)}


def _checked(
    review: SheetReview, found: list[CellChange], now: dict[str, SheetRow], titles: dict[str, str]
) -> list[SheetCell]:
    """Return the cells as they are kept, each with what is in its way; conflicts are kept as they are here until somebody decides."""
    aspects = {f"a{one.pk}": one for one in Aspect.objects.filter(area=review.area)}
    known: dict[tuple[str, str], str] = {}
    cells = []
    for number, one in enumerate(found):
        problem = _problem(one, aspects.get(one.field), known)
        shown = now[one.key].shown
        label = ".".join(part for part in shown[1:4] if part)
        cells.append(
            SheetCell(
                review=review, number=number, line=one.line, key=one.key, label=label, field=one.field, title=titles.get(one.field, one.field),
                exported=one.exported, written=one.written, now=one.now, conflict=one.is_conflict, problem=problem,
                decision=Decision.KEEP if problem or one.is_conflict else Decision.TAKE,
            )
        )  # fmt: skip
    return cells


def _problem(one: CellChange, aspect: Aspect | None, known: dict[tuple[str, str], str]) -> str:
    """Return why a cell can't be taken, "" where it can; what was asked of a value once is known after that."""
    if aspect is None:
        limit = editing.LIMITS.get(one.field, 0)
        return f"{len(one.written):,} characters are too many; {limit:,} are kept." if len(one.written) > limit else ""
    asked = one.field, one.written
    if asked not in known:
        try:
            saying.kept(aspect, one.written)
            known[asked] = ""
        except EditError as error:
            known[asked] = str(error)
    return known[asked]


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

    Of a column or table that implements something, what it implements gets the words, as in the margin. Raises EditError where
    the sheet was decided already, where a model is being read, and where two cells say two things of one attribute.
    """
    review = SheetReview.objects.select_for_update(of=("self",)).select_related("area").get(pk=review.pk)
    if review.state != State.WAITING:
        raise EditError("This sheet is decided already.")
    cells = list(review.cells.filter(decision=Decision.TAKE, problem=""))
    if not cells:
        raise EditError("Nothing of the sheet is to be taken.")
    targets = _targets(cells)
    for model_id in sorted({model for _, _, model in targets.values()}):
        if not try_for_editing(model_id):
            raise EditError(
                "A model is being read at this moment. Nothing was changed: apply it again in half a minute."
            )
    by_field: dict[tuple[str, str], dict[int, SheetCell]] = {}
    for cell in cells:
        if cell.key not in targets:
            continue
        target, object_id, _ = targets[cell.key]
        other = by_field.setdefault((cell.field, target), {}).setdefault(object_id, cell)
        if other.written != cell.written:
            raise EditError(
                f"{cell.title} of {other.label} (line {other.line}) and of {cell.label} (line {cell.line}) is the same attribute, and the sheet "
                "says two things of it. Keep one of them as it is here."
            )
    with record(area=review.area, person=person, why=f"Sheet {review.name}"[:300]) as changes:
        for (field, target), wanted in by_field.items():
            if not aspect_of(field):
                values = [(target, id_, cell.now, _word(field, cell.written)) for id_, cell in wanted.items()]
                editing.write_into(changes, area=review.area, field=field, values=values)
                continue
            aspect = Aspect.objects.get(pk=aspect_of(field), area=review.area)
            kept = {text: saying.kept(aspect, text) for text in {cell.written for cell in wanted.values()}}
            said = {id_: kept[cell.written] for id_, cell in wanted.items()}
            saying.say_into(changes, area=review.area, aspect=aspect, level=target, values=said)
    review.state, review.applied = State.APPLIED, len(cells)
    review.save(update_fields=["state", "applied"])
    return len(cells)


def _word(field: str, text: str) -> str:
    return " ".join(text.split()) if field == "business_name" else text


def _targets(cells: list[SheetCell]) -> dict[str, tuple[str, int, int]]:
    """Return by key what gets the words: kind, id and model, of what it implements where it implements something."""
    found: dict[str, tuple[str, int, int]] = {}
    columns = {int(cell.key[1:]) for cell in cells if cell.key[0] == "c"}
    tables = {int(cell.key[1:]) for cell in cells if cell.key[0] == "t"}
    for pk, above, model in StoredColumn.objects.filter(pk__in=columns).values_list(
        "pk", "attribute_id", "table__model_id"
    ):
        found[f"c{pk}"] = "column", above or pk, model
    for pk, above, model in StoredTable.objects.filter(pk__in=tables).values_list("pk", "entity_id", "model_id"):
        found[f"t{pk}"] = "table", above or pk, model
    return found
