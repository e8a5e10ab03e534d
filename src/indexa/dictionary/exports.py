"""The dictionary as a file: what is on screen, in the same order, at once or by a job."""

from __future__ import annotations

import codecs
import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import IO

from django.http import QueryDict
from django.urls import reverse
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.core.dictionary.entry import Entry
from indexa.core.render import csv_file, markdown, xlsx
from indexa.dictionary import search, sheets
from indexa.dictionary.facets import facets_of
from indexa.dictionary.forms import read_query
from indexa.dictionary.listing import More, entries
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job, JobFile
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.store.errors import EditError

AT_ONCE = 5_000
"""Rows up to which a file is made while the person waits: under two seconds."""
_ON_DISK = 2_000_000
_ROWS_BETWEEN_TICKS = 1_000


@dataclass(frozen=True, slots=True)
class FileKind:
    """A kind of file the dictionary can be had as."""

    suffix: str
    media_type: str
    label: str
    use: str


SHEET = "sheet"
KINDS = {
    "xlsx": FileKind(
        "xlsx",
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
        "Spreadsheet",
        "XLSX: summary, entries, legend",
    ),
    "csv": FileKind("csv", "text/csv; charset=utf-8", "CSV", "UTF-8, for programs"),
    "csv-bom": FileKind("csv", "text/csv; charset=utf-8", "CSV for spreadsheets", "UTF-8 with byte order mark"),
    SHEET: FileKind(
        "xlsx",
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
        "Sheet to edit",
        "XLSX: write into it, hand it in again",
    ),
    "md": FileKind("md", "text/markdown; charset=utf-8", "Markdown", "One section per table"),
}


def file_name(area: Area, kind: str) -> str:
    """Return the name of a file made today."""
    return f"{'describe' if kind == SHEET else 'dictionary'}-{area.slug}-{timezone.now():%Y-%m-%d}.{KINDS[kind].suffix}"


def write(
    kind: str, query: search.Query, person: Person | None, area: Area, watched: Progress | None = None
) -> IO[bytes]:
    """Write the hits of query to a temporary file and return it, rewound."""
    if kind == SHEET:
        return sheets.export(area=area, person=person, query=query, progress=watched)
    stream = tempfile.SpooledTemporaryFile(max_size=_ON_DISK)  # noqa: SIM115  the response closes it
    more = More(area.pk)
    found: Iterable[Entry] = entries(query, more)
    if watched:
        found = _counted(found, search.count(query), watched)
    author = person.display_name if person else "Indexa"
    if kind == "xlsx":
        xlsx.write(stream, found, xlsx.Cover(_title(area), author, timezone.now(), _facts(query), more.headings))
    else:
        subtitle = "; ".join(f"{name}: {value}" for name, value in _facts(query)) or "All columns"
        if kind == "csv-bom":
            stream.write(codecs.BOM_UTF8)
        is_markdown = kind == "md"
        stream.writelines(
            markdown.pieces(found, _title(area), subtitle, more.headings)
            if is_markdown
            else csv_file.pieces(found, more.headings)
        )
    stream.seek(0)
    return stream


def start(*, area: Area, person: Person, kind: str, address: str) -> Job:
    """Have a large file made in the background."""
    return jobs.start(
        area=area, kind="export", title=f"{KINDS[kind].label} of the dictionary", person=person,
        file_kind=kind, address=address,
    )  # fmt: skip


class ExportArguments(Arguments):
    """Which kind of file, and the view as the address holds it."""

    file_kind: str
    address: str


@background("export", ExportArguments)
def export_in_background(job: Job, progress: Progress) -> str:
    """Make the file of a job and keep it for the person who asked. Returns its address."""
    query = read_query(job.area, QueryDict(job.arguments["address"]))
    kind = job.arguments["file_kind"]
    try:
        made = write(kind, query, job.started_by, job.area, progress)
    except EditError as error:
        raise JobFailedError(str(error)) from error
    with made as stream:
        progress.report("Keeping the file")
        JobFile.objects.update_or_create(
            job=job,
            defaults={
                "name": file_name(job.area, kind),
                "media_type": KINDS[kind].media_type,
                "content": stream.read(),
            },
        )
    return reverse("jobs:file", args=[job.area.slug, job.pk])


def _counted(found: Iterable[Entry], total: int, progress: Progress) -> Iterator[Entry]:
    for number, entry in enumerate(found):
        if number % _ROWS_BETWEEN_TICKS == 0:
            progress.report("Writing columns", number, total)
        yield entry


def _title(area: Area) -> str:
    return f"Data dictionary: {area.name}"


def _facts(query: search.Query) -> tuple[tuple[str, str], ...]:
    facts = [("Text", query.text)] if query.text else []
    if query.filters:
        for facet in facets_of(query, search.first_hits(query)):
            if facet.chosen:
                facts.append((facet.label, ", ".join(value.words for value in facet.chosen)))
    return tuple(facts)
