"""The place Dictionary: the page, its rows, exact counts, the margin, exports."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qsl

import msgspec
from django.contrib import messages
from django.http import FileResponse, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django.views.decorators.vary import vary_on_headers
from django_htmx.http import trigger_client_event

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.describing import saying
from indexa.describing.models import Aspect
from indexa.dictionary import cells, exports, search, setting
from indexa.dictionary.facets import facets_of
from indexa.dictionary.forms import read_query, write_query
from indexa.dictionary.listing import Row, rows_of, say_of_rows
from indexa.dictionary.saved_views import views_of
from indexa.store.errors import EditError
from indexa.store.models import StoredModel
from indexa.ui.htmx import FRAGMENT_HEADERS, wants_fragment
from indexa.ui.lookups import correct
from indexa.ui.parameters import parse_int

_MOST_ASPECTS = 6
PAGE_SIZE = 50
"""Rows of one block of the window: some two screens."""
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ#"


@require_GET
@in_area(Role.READER)
@vary_on_headers(*FRAGMENT_HEADERS)
def page(request: AreaRequest) -> HttpResponse:
    """The dictionary, or what of it changes while one types and filters."""
    query = read_query(request.area, request.GET)
    hits = search.first_hits(query)
    ids = search.page(query, 0, PAGE_SIZE) if hits.ids is None else hits.ids[:PAGE_SIZE]
    context = _shared(request, query) | {
        "hits": hits,
        "facets": facets_of(query, hits),
        "rows": _rows(request, query, ids),
        "thumb": None if hits.letters is None or query.sort else _thumb(hits.letters),
        "summary": _summary(query, hits),
        "page_size": PAGE_SIZE,
        "meant": _meant(request, query) if query.text and not ids else None,
    }
    if wants_fragment(request):
        return render(request, "dictionary/_results.html", context | {"out_of_band": True})
    context["has_models"] = StoredModel.objects.filter(area=request.area).exists()
    return render(request, "dictionary/page.html", context)


@require_GET
@in_area(Role.READER)
def rows(request: AreaRequest) -> HttpResponse:
    """One block of rows, for the window that scrolls."""
    query = read_query(request.area, request.GET)
    offset = parse_int(request.GET.get("offset"))
    before = 1 if offset else 0
    ids = search.page(query, offset - before, PAGE_SIZE + before)
    above = ids[0] if before and ids else None
    context = _shared(request, query) | {"rows": _rows(request, query, ids[before:], above)}
    return render(request, "dictionary/_block.html", context)


@require_GET
@in_area(Role.READER)
def exact(request: AreaRequest) -> HttpResponse:
    """Exact counts and the thumb index, asked for after the page has shown the quick ones."""
    query = read_query(request.area, request.GET)
    hits = search.exact_hits(query)
    thumb = None if query.sort else _thumb(hits.letters or {})
    context = _shared(request, query) | {
        "hits": hits, "facets": facets_of(query, hits), "thumb": thumb, "summary": _summary(query, hits), "out_of_band": True,
    }  # fmt: skip
    response = render(request, "dictionary/_exact.html", context)
    return trigger_client_event(response, "exact-count", {"value": hits.count}, after="settle")


@require_GET
@in_area(Role.READER)
def letter(request: AreaRequest) -> JsonResponse:
    """Where the tables under a letter begin."""
    query = read_query(request.area, request.GET)
    wanted = request.GET.get("letter", "")[:1]
    return JsonResponse({"offset": search.offset_of_letter(query, wanted)})


@require_GET
@in_area(Role.READER)
def export(request: AreaRequest, kind: str) -> HttpResponseBase:
    """The view as a file: at once where it is small, by a job where it is large."""
    query = read_query(request.area, request.GET)
    if search.count(query) > exports.AT_ONCE:
        job = exports.start(area=request.area, person=request.user, kind=kind, address=write_query(query))
        return redirect("jobs:page", request.area.slug, job.pk)
    try:
        stream = exports.write(kind, query, request.user, request.area)
    except EditError as error:
        messages.error(request, str(error))
        return redirect(f"{reverse('dictionary:page', args=[request.area.slug])}?{write_query(query)}")
    made = exports.KINDS[kind]
    name = exports.file_name(request.area, kind)
    return FileResponse(stream, as_attachment=True, filename=name, content_type=made.media_type)


@require_POST
@in_area(Role.STEWARD)
def set_cells(request: AreaRequest) -> JsonResponse:
    """Write cells of the grid; answers what they show now, and which of them somebody else wrote in the meantime."""
    try:
        given = msgspec.json.decode(request.POST.get("cells", ""), type=list[cells.Cell])
    except msgspec.DecodeError:
        return JsonResponse({"message": "These are no cells. Load the page again."}, status=422)
    if not 0 < len(given) <= cells.MOST_CELLS:
        return JsonResponse({"message": f"At most {cells.MOST_CELLS:,} cells can be set at once."}, status=422)
    try:
        written = cells.set_cells(area=request.area, person=request.user, cells=given)
    except EditError as error:
        return JsonResponse({"message": str(error)}, status=422)
    fields = list(dict.fromkeys(cell.field for cell in given))
    count = len(written.conflicts)
    return JsonResponse(
        {
            "rows": cells.shown_now(request.area, written.columns, fields),
            "conflicts": [one._asdict() for one in written.conflicts],
            "message": "" if not count else f"{count:,} cell{'' if count == 1 else 's'} changed here in the meantime. Yours is still in "
            "place, not saved: Enter and Enter again to save it, Escape to keep what is here.",
        }
    )  # fmt: skip


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def set_for_all(request: AreaRequest) -> HttpResponse:
    """The form that gives all columns of the view one value, with how many they are; and doing so."""
    query = read_query(request.area, request.GET)
    count, field = search.count(query), (request.POST or request.GET).get("field", "definition")
    failure = ""
    if request.method == "POST":
        given: Any = {
            "area": request.area, "person": request.user, "query": query, "field": field, "value": request.POST.get("value", ""),
            "only_missing": "only_missing" in request.POST,
        }  # fmt: skip
        try:
            setting.choices_of(request.area, field)
            if count > setting.AT_ONCE:
                return redirect("jobs:page", request.area.slug, setting.start(**given).pk)
            changed = setting.set_for_all(**given)
            messages.success(request, f"{changed:,} changed. Press u to undo.")
            return redirect(f"{reverse('dictionary:page', args=[request.area.slug])}?{write_query(query)}")
        except EditError as error:
            failure = str(error)
    try:
        choices = setting.choices_of(request.area, field)
    except EditError:
        field, choices = "definition", []
    context = _shared(request, query) | {
        "count": count, "field": field, "fields": setting.fields_of(request.area), "choices": choices, "failure": failure,
        "kept": parse_qsl(write_query(query)),
    }  # fmt: skip
    return render(request, "dictionary/set_for_all.html", context, status=422 if failure else 200)


def _meant(request: AreaRequest, query: search.Query) -> tuple[str, str] | None:
    """Return what a text that finds nothing may have meant, and the address of that."""
    text = correct(request.area, query.text)
    return (text, write_query(query, q=text)) if text else None


def _rows(request: AreaRequest, query: search.Query, ids: list[int], before: int | None = None) -> list[Row]:
    found = rows_of(ids, before=before, bands=not query.sort)
    if query.show == "stewardship":
        say_of_rows(found, _aspects(request))
    return found


def _aspects(request: AreaRequest) -> list[Aspect]:
    return list(Aspect.objects.filter(area=request.area, applies__contains=["column"])[:_MOST_ASPECTS])


def _shared(request: AreaRequest, query: search.Query) -> dict[str, Any]:
    aspects = _aspects(request) if query.show == "stewardship" else []
    slug = request.area.slug
    return {
        "query": query,
        "terms": query.terms,
        "address": write_query(query),
        "export_kinds": exports.KINDS,
        "rows_url": f"{reverse('dictionary:rows', args=[slug])}?{write_query(query)}",
        "sorts": {
            name: write_query(
                query,
                sort={"": name, name: f"-{name}"}.get(query.sort, name if query.sort != f"-{name}" else ""),
            )
            for name in ("column", "type")
        },
        "logical": query.layer == "logical",
        "sets": [
            (label, write_query(query, show=name), name == query.show) for name, label in search.COLUMN_SETS.items()
        ],
        "aspects": aspects,
        "views": views_of(request.area, request.user),
        "span": 4 + len(aspects) if aspects else 7,
        "cell_fields": _CELL_FIELDS.get(query.show) or " ".join(["business_name", *(f"a{one.pk}" for one in aspects)]),
        "cell_choices": [(one, _named_choices(one)) for one in aspects if request.role >= Role.STEWARD],
    }


_CELL_FIELDS = {"": "business_name definition", "technical": "business_name"}


def _named_choices(aspect: Aspect) -> list[str]:
    if aspect.type == "yes or no":
        return ["yes", "no"]
    return [name for _, name in saying.choices_of(aspect)]


@dataclass(frozen=True, slots=True)
class ListSummary:
    """What the columns of a list are together: how many are described, which are keys, and where those without words are."""

    columns: int
    tables: int
    described: int
    primary: int
    foreign: int
    undescribed: str
    """The address of those that have no definition; "" where all have one."""


def _summary(query: search.Query, hits: search.Hits) -> ListSummary | None:
    """Summarise a list; None while its counts are only a lower bound."""
    if hits.more:
        return None
    chosen = query.filters.get("described", ())
    described = hits.facets["described"]["yes"]
    if len(chosen) == 1:
        described = hits.count if chosen[0] == "yes" else 0
    keys = hits.facets["key"] if "key" not in query.filters else Counter[str]()
    missing = write_query(query.without("described")) if described < hits.count else ""
    address = f"{missing}&described=no" if missing else "described=no" if described < hits.count else ""
    return ListSummary(hits.count, hits.tables, described, keys["pk"], keys["fk"], address)


def _thumb(letters: dict[str, int]) -> list[tuple[str, int, int]]:
    most = max(letters.values(), default=0)
    return [(sign, letters.get(sign, 0), most) for sign in LETTERS]
