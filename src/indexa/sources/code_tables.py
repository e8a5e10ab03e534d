"""Code lists from the lookup tables of a source, where an administrator allowed that their rows are read."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from typing import NamedTuple

from django.db import transaction
from django.urls import reverse

from indexa.adapters.errors import SourceError
from indexa.areas.models import Area, Person
from indexa.core.glossary.codes import Code, as_text
from indexa.core.glossary.lookup_tables import ColumnShape, LookupTable, TableShape, lookup_tables
from indexa.core.platforms import RefusedError
from indexa.glossary import services as glossary
from indexa.glossary.models import CodeList
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.sources import opening
from indexa.sources.models import Source
from indexa.store.errors import EditError
from indexa.store.models import StoredColumn, StoredKey, StoredRelationship, StoredTable

_MOST = 200
"""Lookup tables that are offered, and read at once."""


class Offered(NamedTuple):
    """A lookup table that can be read: its columns by name, and the code list that was made of it before, if any."""

    table: StoredTable
    code: StoredColumn
    meaning: StoredColumn | None
    referred: int
    made: CodeList | None


def offered(source: Source) -> list[Offered]:
    """Return the lookup tables of a source's model."""
    found = _found(source)[:_MOST]
    tables = StoredTable.objects.in_bulk([one.table for one in found])
    columns = StoredColumn.objects.in_bulk([id_ for one in found for id_ in (one.code, one.meaning) if id_])
    made = {one.origin: one for one in CodeList.objects.filter(area=source.area).exclude(origin="").defer("codes")}
    return [
        Offered(
            tables[one.table], columns[one.code], columns.get(one.meaning or 0), one.referred, made.get(_origin(source, tables[one.table]))
        )
        for one in found
    ]  # fmt: skip


def _origin(source: Source, table: StoredTable) -> str:
    return f"table {table.full_name} of {source.name}"[:300]


def _found(source: Source) -> list[LookupTable]:
    there = {"table__model": source.model_id, "table__removed_at__isnull": True}
    keys = {key.table_id: tuple(key.column_ids) for key in StoredKey.objects.filter(kind="primary", **there)}
    referred: defaultdict[int, int] = defaultdict(int)
    for id_ in StoredRelationship.objects.filter(**there).values_list("ref_table", flat=True):
        referred[id_ or 0] += 1
    single = [table for table, ids in keys.items() if len(ids) == 1]
    columns: defaultdict[int, list[ColumnShape]] = defaultdict(list)
    rows = StoredColumn.objects.filter(table__in=single, removed_at__isnull=True).order_by("table_id", "position")
    for one in rows:
        columns[one.table_id].append(ColumnShape(one.pk, one.name, one.family))
    return lookup_tables(TableShape(id_, tuple(own), keys[id_], referred[id_]) for id_, own in columns.items())


class CodeArguments(Arguments):
    """Which tables of which source are read."""

    source: int
    tables: list[int]


def start(*, area: Area, person: Person, source: Source, tables: Collection[int]) -> Job:
    """Have lookup tables read. Raises EditError where that is not allowed, or nothing is chosen."""
    if not source.reads_codes:
        raise EditError("An administrator has to allow first that lookup tables of this source are read.")
    if not tables:
        raise EditError("Choose a table first.")
    title = f"Reading codes from {source.name}"
    return jobs.start(
        area=area, kind="code tables", title=title, person=person, source=source.pk, tables=sorted(tables)[:_MOST]
    )


@background("code tables", CodeArguments)
def read_in_background(job: Job, progress: Progress) -> str:
    """Read lookup tables and keep each as a code list; a list that was made of one before gets its codes anew."""
    source = Source.objects.filter(pk=job.arguments["source"], area=job.area, reads_codes=True).first()
    if source is None or source.model_id is None or job.started_by is None:
        raise JobFailedError("The source is gone, or its lookup tables may no longer be read.")
    wanted = [one for one in offered(source) if one.table.pk in set(job.arguments["tables"])]
    refused: list[str] = []
    read: list[tuple[Offered, list[Code]]] = []
    try:
        with opening.reading(source) as opened:
            for done, one in enumerate(wanted):
                progress.report("Reading codes", done, len(wanted))
                try:
                    meaning = one.meaning.name if one.meaning else ""
                    pairs = opened.read_codes(one.table.schema, one.table.name, one.code.name, meaning)
                except RefusedError as error:
                    refused.append(f"{one.table.full_name}: {error}")
                    continue
                read.append((one, [Code(code.strip(), " ".join(text.split())) for code, text in pairs if code.strip()]))
    except SourceError as error:
        raise JobFailedError(error.message, error.hint) from error
    for one, codes in read:
        try:
            _keep(source, job.started_by, one, codes)
        except EditError as error:
            refused.append(f"{one.table.full_name}: {error}")
    if refused:
        raise JobFailedError(f"{len(read)} of {len(wanted)} tables were read. {'; '.join(refused)[:1_500]}.")
    return reverse("glossary:list", args=[job.area.slug, "lists"])


@transaction.atomic
def _keep(source: Source, person: Person, one: Offered, codes: list[Code]) -> None:
    name = one.made.name if one.made else _free_name(source.area, one.table)
    given = {"name": name, "meaning": one.made.meaning if one.made else one.table.comment, "codes": as_text(codes)}
    made = glossary.save(area=source.area, person=person, kind=CodeList, item=one.made, given=given)
    if one.made is None:
        CodeList.objects.filter(pk=made.pk).update(origin=_origin(source, one.table))
        made.refresh_from_db()
    referring = StoredRelationship.objects.filter(ref_table=one.table, ref_column_ids=[one.code.pk])
    ids = {one.code.pk, *(column for row in referring for column in row.column_ids)}
    why = f"Code list {made}"
    glossary.carry(area=source.area, person=person, column_ids=ids, carried={"code_list": made}, why=why)


def _free_name(area: Area, table: StoredTable) -> str:
    wanted = (table.business_name or (table.entity.business_name if table.entity else "") or table.name)[:100]
    name, number = wanted, 1
    while CodeList.objects.filter(area=area, name=name).exists():
        number += 1
        name = f"{wanted} {number}"
    return name
