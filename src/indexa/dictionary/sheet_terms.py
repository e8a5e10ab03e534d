"""Sheets of terms: definition, synonyms, examples, state, broader term, and who owns them; a row without a key is a new term."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from indexa.areas.models import Area, Membership, Person, Role
from indexa.changes.recording import Recorder
from indexa.core.dictionary.round_trip import NEW, CellChange, SheetField, SheetRow
from indexa.describing import saying
from indexa.describing.models import Aspect, Assignment
from indexa.describing.saying import Subject
from indexa.dictionary.models import SheetCell
from indexa.dictionary.sheet_columns import aspect_problem
from indexa.glossary import services as glossary
from indexa.glossary.models import Term
from indexa.store.errors import EditError

FIXED = {"Carried by": 10}
_WORDS = {"name": 30, "definition": 60, "synonyms": 30, "examples": 40, "state": 12, "broader": 30}
"""Fields of a term with their widths in letters."""
_TITLES = {"name": "Term", "synonyms": "Also called", "broader": "Broader term"}


def _aspects(area: Area) -> list[Aspect]:
    return list(Aspect.objects.filter(area=area, applies__contains=["term"]).prefetch_related("values"))


def fields_of(area: Area) -> list[SheetField]:
    """Return the columns of a sheet of terms."""
    found = [
        SheetField(
            name, _TITLES.get(name, name.capitalize()), width, tuple(Term.State.values) if name == "state" else ()
        )
        for name, width in _WORDS.items()
    ]
    choices = {one.pk: tuple(name for _, name in saying.choices_of(one)) for one in _aspects(area)}
    return [*found, *(SheetField(one.field, one.name, 22, choices[one.pk]) for one in _aspects(area))]


def rows_of(area: Area, keys: Collection[str] | None) -> Iterator[SheetRow]:
    """Yield terms by name, those of some keys ("m12") or all."""
    terms = Term.objects.filter(area=area).select_related("broader").prefetch_related("carriers")
    if keys is not None:
        terms = terms.filter(pk__in=[int(key[1:]) for key in keys if key[:1] == "m" and key[1:].isdigit()])
    aspects = {one.pk: one.field for one in _aspects(area)}
    said: defaultdict[int, dict[str, str]] = defaultdict(dict)
    rows = list(Assignment.objects.filter(aspect__in=aspects, level="term").values_list("object_id", "aspect", "value"))
    words = saying.in_words(value for *_, value in rows)
    for object_id, aspect, value in rows:
        said[object_id][aspects[aspect]] = words.get(value, value)
    for term in terms:
        values = {
            "name": term.name, "definition": term.definition, "synonyms": ", ".join(term.synonyms), "examples": term.examples,
            "state": term.state, "broader": term.broader.name if term.broader else "",
        }  # fmt: skip
        empty = dict.fromkeys(aspects.values(), "")
        yield SheetRow(f"m{term.pk}", (str(len(term.carriers.all())),), values | empty | said[term.pk])


def label_of(row: SheetRow) -> str:
    """Return the name of a term."""
    return row.values["name"]


def problem_of(area: Area, person: Person | None) -> Callable[[CellChange], str]:
    """Return what says why a cell can't be taken."""
    aspects = {one.field: one for one in _aspects(area)}
    may_agree = Membership.objects.filter(area=area, person=person, role__gte=Role.APPROVER).exists()

    def problem(one: CellChange) -> str:
        if one.field in aspects:
            return aspect_problem(aspects[one.field], one.written)
        if one.field == "name" and not one.written:
            return "A term keeps its name. Delete it on its page."
        if one.field == "state" and one.written.lower() not in Term.State.values:
            return f"“{one.written[:20]}” is no state. States: {', '.join(Term.State.values)}."
        if one.field == "state" and one.written.lower() == Term.State.AGREED and not may_agree:
            return "Only an approver agrees to a term."
        return ""

    return problem


def apply(changes: Recorder, area: Area, cells: Sequence[SheetCell]) -> None:
    """Write terms, new ones first, then what is broader than what. Raises EditError that names the line."""
    by_key: dict[str, dict[str, SheetCell]] = {}
    for cell in cells:
        by_key.setdefault(cell.key, {})[cell.field] = cell
    terms = {f"m{one.pk}": one for one in Term.objects.filter(area=area)}
    aspects = {one.field: one for one in _aspects(area)}
    kept: dict[str, Term] = {}
    for key, fields in sorted(by_key.items(), key=lambda pair: not pair[0].startswith(NEW)):
        if key not in terms and not key.startswith(NEW):
            continue
        line = next(iter(fields.values())).line
        with _at_line(line):
            written = {name: cell.written for name, cell in fields.items() if name in _WORDS and name != "broader"}
            given = _given(terms.get(key)) | written
            given["state"] = given["state"].lower()
            kept[key] = glossary.save_into(changes, area=area, kind=Term, item=terms.get(key), given=given)
            for name, aspect in aspects.items():
                if name in fields:
                    subject = Subject("term", kept[key].pk)
                    saying.say_one_into(changes, area=area, subject=subject, aspect=aspect, given=fields[name].written)
    for key, term in kept.items():
        if "broader" in by_key[key]:
            cell = by_key[key]["broader"]
            with _at_line(cell.line):
                given = _given(term) | {"broader": _named(area, cell.written)}
                glossary.save_into(changes, area=area, kind=Term, item=term, given=given)


@contextmanager
def _at_line(line: int) -> Iterator[None]:
    """Put the line of the sheet before an error."""
    try:
        yield
    except EditError as error:
        raise EditError(f"Line {line}: {error}") from error


def _given(term: Term | None) -> dict[str, Any]:
    if term is None:
        return {"state": Term.State.DRAFT}
    return {
        "name": term.name, "definition": term.definition, "synonyms": ", ".join(term.synonyms), "examples": term.examples,
        "state": term.state, "broader": term.broader_id or 0, "related": term.related,
    }  # fmt: skip


def _named(area: Area, name: str) -> int:
    if not name:
        return 0
    found = Term.objects.filter(area=area, name__iexact=name).first()
    if found is None:
        raise EditError(f"there is no term “{name[:60]}” that could be broader.")
    return found.pk
