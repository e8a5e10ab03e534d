"""Wordbooks as files: CSV, a spreadsheet, and SKOS; and where the short forms of a word stand."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable

from django.db import connection
from django.db.models import QuerySet

from indexa.areas.models import Area
from indexa.core.render import lists
from indexa.core.render.lists import Heading
from indexa.naming.wordbooks.models import BookWord
from indexa.naming.wordbooks.services import LATEST_PASSES

HEADINGS = (
    Heading("Short form", 14, machine=True), Heading("Word", 28), Heading("Other short forms", 20, machine=True), Heading("Status", 11),
    Heading("Meaning", 60, wrapped=True), Heading("Owner", 20), Heading("Wordbook", 22), Heading("Beside", 20),
)  # fmt: skip
_PLACES = 12


def _rows(words: Iterable[BookWord]) -> Iterable[list[str]]:
    for one in words:
        preferred, others = (one.abbreviations[0], one.abbreviations[1:]) if one.abbreviations else ("", [])
        owner = one.owner.display_name if one.owner else ""
        yield [
            preferred,
            one.word,
            " ".join(others),
            one.get_status_display(),
            one.meaning,
            owner,
            one.wordbook.name,
            " ".join(one.context_words),
        ]


def as_csv(_: Area, words: QuerySet[BookWord]) -> bytes:
    """One word a row."""
    return lists.as_csv(HEADINGS, _rows(words))


def as_xlsx(_: Area, words: QuerySet[BookWord]) -> bytes:
    """One word a row."""
    return lists.as_xlsx("Wordbook", HEADINGS, _rows(words))


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
            "skos:altLabel": one.abbreviations,
        }
        if one.meaning:
            concept["skos:definition"] = one.meaning
        if one.status == BookWord.Status.RETIRED:
            concept["http://www.w3.org/2002/07/owl#deprecated"] = True
        graph.append(concept)
    text = {"@context": {"skos": "http://www.w3.org/2004/02/skos/core#"}, "@graph": graph}
    return json.dumps(text, ensure_ascii=False, indent=2).encode()


def as_turtle(area: Area, words: QuerySet[BookWord]) -> bytes:
    """SKOS as Turtle, with the same concepts."""
    scheme = f"urn:indexa:{area.slug}:wordbook"
    lines = [
        "@prefix skos: <http://www.w3.org/2004/02/skos/core#> .",
        "@prefix owl: <http://www.w3.org/2002/07/owl#> .",
        "",
        f"<{scheme}> a skos:ConceptScheme ; skos:prefLabel {_literal(area.name)} .",
    ]
    for one in words:
        text = [
            f"<{scheme}:{one.pk}> a skos:Concept",
            f"skos:inScheme <{scheme}>",
            f"skos:prefLabel {_literal(one.word)}@en",
        ]
        text += [f"skos:altLabel {_literal(short)}" for short in one.abbreviations]
        if one.meaning:
            text.append(f"skos:definition {_literal(one.meaning)}")
        if one.status == BookWord.Status.RETIRED:
            text.append("owl:deprecated true")
        lines.append(" ;\n  ".join(text) + " .")
    return ("\n".join(lines) + "\n").encode()


def _literal(text: str) -> str:
    """Write a text between quotation marks as Turtle wants it: what JSON escapes, Turtle escapes alike."""
    return json.dumps(text, ensure_ascii=False).replace("\\/", "/").replace("\x7f", "\\u007F")


KINDS: dict[str, tuple[str, Callable[[Area, QuerySet[BookWord]], bytes]]] = {
    "csv": ("text/csv; charset=utf-8", as_csv),
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", as_xlsx),
    "jsonld": ("application/ld+json", as_skos),
    "ttl": ("text/turtle; charset=utf-8", as_turtle),
}
"""By suffix: media type, and what writes the file."""


def places_of(area: Area, word: BookWord) -> list[tuple[str, str]]:
    """Return the first places, with their proposed names, where short forms of a word stand in the latest passes."""
    if not word.abbreviations:
        return []
    with connection.cursor() as cursor:
        cursor.execute(
            f"select n.place, n.after from naming_pass_name n join ({LATEST_PASSES}) latest on latest.id = n.naming_pass_id "  # noqa: S608
            "where n.words && %s::text[] order by n.place limit %s",
            [area.pk, word.abbreviations, _PLACES],
        )
        return list(cursor.fetchall())
