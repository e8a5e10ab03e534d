"""Wordbooks as files: CSV, a spreadsheet, and SKOS; and where the short forms of a word stand."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterable

import xlsxwriter
from django.db import connection
from django.db.models import QuerySet

from indexa.areas.models import Area
from indexa.core.render.cells import neutral
from indexa.naming.models import BookWord

HEADINGS = ("Short form", "Word", "Other short forms", "Status", "Meaning", "Owner", "Wordbook", "Beside")
_PLACES = 12


def _rows(words: Iterable[BookWord]) -> Iterable[list[str]]:
    for one in words:
        preferred, others = (one.shorts[0], one.shorts[1:]) if one.shorts else ("", [])
        owner = one.owner.display_name if one.owner else ""
        cells = [
            preferred,
            one.word,
            " ".join(others),
            one.get_status_display(),
            one.meaning,
            owner,
            one.wordbook.name,
            " ".join(one.beside),
        ]
        yield [str(neutral(cell)) for cell in cells]


def as_csv(_: Area, words: QuerySet[BookWord]) -> bytes:
    """UTF-8 with a mark that spreadsheets know it by."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(HEADINGS)
    writer.writerows(_rows(words))
    return out.getvalue().encode("utf-8-sig")


def as_xlsx(area: Area, words: QuerySet[BookWord]) -> bytes:
    """A spreadsheet with fixed headings, widths and a filter."""
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    sheet = book.add_worksheet("Wordbook")
    head, machine = book.add_format({"bold": True, "bottom": 1}), book.add_format({"font_name": "Consolas"})
    wrapped = book.add_format({"text_wrap": True, "valign": "top"})
    for at, (heading, width) in enumerate(zip(HEADINGS, (14, 28, 20, 11, 60, 20, 22, 20), strict=True)):
        sheet.set_column(at, at, width, machine if at in (0, 2) else wrapped)
        sheet.write_string(0, at, heading, head)
    last = 0
    for last, row in enumerate(_rows(words), 1):
        for at, cell in enumerate(row):
            sheet.write_string(last, at, cell)
    sheet.freeze_panes(1, 2)
    sheet.autofilter(0, 0, max(last, 1), len(HEADINGS) - 1)
    book.set_properties({"title": f"Wordbook of {area.name}"})
    book.close()
    return out.getvalue()


def as_skos(area: Area, words: QuerySet[BookWord]) -> bytes:
    """SKOS as JSON-LD: each word a concept, its short forms alternative labels."""
    scheme = f"urn:indexa:{area.slug}:wordbook"
    graph: list[dict[str, object]] = [{"@id": scheme, "@type": "skos:ConceptScheme", "skos:prefLabel": area.name}]
    for one in words:
        concept: dict[str, object] = {
            "@id": f"{scheme}:{one.pk}",
            "@type": "skos:Concept",
            "skos:inScheme": {"@id": scheme},
            "skos:prefLabel": {"@value": one.word, "@language": "en"},
            "skos:altLabel": one.shorts,
        }
        if one.meaning:
            concept["skos:definition"] = one.meaning
        if one.status == BookWord.Status.RETIRED:
            concept["http://www.w3.org/2002/07/owl#deprecated"] = True
        graph.append(concept)
    told = {"@context": {"skos": "http://www.w3.org/2004/02/skos/core#"}, "@graph": graph}
    return json.dumps(told, ensure_ascii=False, indent=2).encode()


KINDS: dict[str, tuple[str, Callable[[Area, QuerySet[BookWord]], bytes]]] = {
    "csv": ("text/csv; charset=utf-8", as_csv),
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", as_xlsx),
    "jsonld": ("application/ld+json", as_skos),
}
"""By suffix: media type, and what writes the file."""


def places_of(area: Area, word: BookWord) -> list[tuple[str, str]]:
    """Return the first places, with their proposed names, where short forms of a word stand in the latest passes."""
    if not word.shorts:
        return []
    with connection.cursor() as cursor:
        cursor.execute(
            "select n.place, n.after from (select distinct on (model_id) p.id from naming_pass p join model m on m.id = p.model_id "
            "where m.area_id = %s order by model_id, p.id desc) latest join naming_pass_name n on n.naming_pass_id = latest.id "
            "where n.words && %s::text[] order by n.place limit %s",
            [area.pk, word.shorts, _PLACES],
        )
        return list(cursor.fetchall())
