"""Pages of diagrams, and what the drawing asks for while somebody works on it (answers in JSON)."""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Mapping
from typing import Any

from django.contrib import messages
from django.db.models import Count, Q, QuerySet
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.safestring import mark_safe
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import trigger_client_event

from indexa.adapters.fonts import SHIPPED
from indexa.adapters.typesetting import MOST_TIMES, PAPERS, TooLargeError, pdf_of, png_of
from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.diagram.arranging import measure
from indexa.core.diagram.cards import LEAST_WIDTH, MOST_WIDTH, lines_between
from indexa.core.diagram.marks import marks
from indexa.core.diagram.parts import Drawing
from indexa.core.diagram.placing import STYLES
from indexa.core.render.diagram.notations import LABELS
from indexa.core.render.diagram.svg import body, card_svg, document, line_svg, note_svg
from indexa.core.render.diagram.texts import as_dot, as_mermaid
from indexa.diagrams import moving, notes, services
from indexa.diagrams.drawing import drawing_of, load_tables, neighbours, path_between, state_of
from indexa.diagrams.errors import DiagramError
from indexa.diagrams.models import Diagram
from indexa.diagrams.previews import around_table, preview, preview_of_tables
from indexa.diagrams.suggestions import suggestions
from indexa.modeling.queries import visible_tables
from indexa.store.models import StoredModel, StoredRelationship, StoredTable
from indexa.ui.parameters import parse_int, parse_ints

_FOUND = 30
_ADDED_AT_ONCE = 300
_AROUND = 8
_PREVIEWED_SUGGESTIONS = 6
_STYLE_LABELS = {
    "orthogonal": "By relationships", "layered": "In layers", "neighbourhoods": "By neighbourhood", "radial": "Around the centre",
    "grid": "In rows",
}  # fmt: skip
_FORMS = {
    "svg": "image/svg+xml; charset=utf-8", "png": "image/png", "pdf": "application/pdf",
    "mmd": "text/vnd.mermaid; charset=utf-8", "dot": "text/vnd.graphviz; charset=utf-8",
}  # fmt: skip


@require_GET
@in_area(Role.READER)
def diagram_list(request: AreaRequest, pk: int) -> HttpResponse:
    """The diagrams of a model, each with a small preview; what Indexa suggests is loaded after it."""
    model = get_object_or_404(StoredModel.objects.select_related("logical"), pk=pk, area=request.area)
    kept = list(_visible(request).filter(model=model).annotate(count=Count("cards")))
    context = {
        "model": model,
        "diagrams": [(one, mark_safe(preview(one))) for one in kept],  # noqa: S308  made of numbers
    }
    return render(request, "diagrams/list.html", context)


@require_GET
@in_area(Role.READER)
def suggested(request: AreaRequest, pk: int) -> HttpResponse:
    """What Indexa suggests of a model, with small previews of the first."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    taken = set(_visible(request).filter(model=model).values_list("name", flat=True))
    proposed = [one for one in suggestions(model) if one.name not in taken]
    context = {
        "model": model,
        "suggestions": [
            (one, mark_safe(preview_of_tables(one.table_ids)) if at < _PREVIEWED_SUGGESTIONS else "")  # noqa: S308
            for at, one in enumerate(proposed)
        ],
    }
    return render(request, "diagrams/_suggested.html", context)


@require_POST
@in_area(Role.STEWARD)
def create(request: AreaRequest, pk: int) -> HttpResponse:
    """Make a diagram: one that was suggested, one of the tables that are named, or an empty one."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    name = request.POST.get("name", "")
    ids = parse_ints(request.POST.getlist("table"))
    if around := parse_int(request.POST.get("around")):
        table = get_object_or_404(model.tables, pk=around)
        name, ids = f"Around {table.name}", [around, *_related(around)]
    elif "matching" in request.POST:
        text = request.POST.get("matching", "").strip()[:100]
        name, ids = text or "All tables", list(_matching(model, text).values_list("pk", flat=True))
    if wanted := request.POST.get("suggestion", ""):
        found = next((one for one in suggestions(model) if one.name == wanted), None)
        if found is None:
            messages.error(request, "The model has changed, and this is suggested no longer.")
            return redirect("diagrams:list", request.area.slug, pk)
        name, ids = name or found.name, found.table_ids
    depth = request.POST.get("depth", "")
    try:
        if into := parse_int(request.POST.get("into")):
            return _copy_into(request, model, into, ids)
        made = services.create(
            area=request.area, person=request.user, model=model, name=name, table_ids=ids,
            private=request.POST.get("private") == "1", like=_copied(request, model),
            depth=depth if depth in Diagram.Depth.values else Diagram.Depth.COLUMNS,
        )  # fmt: skip
    except DiagramError as error:
        messages.error(request, str(error))
        return redirect("diagrams:list", request.area.slug, pk)
    return redirect("diagrams:page", request.area.slug, made.pk)


def _copy_into(request: AreaRequest, model: StoredModel, into: int, ids: Collection[int]) -> HttpResponse:
    """Put tables on another diagram of the same model, arranged as they are on the one that they come from."""
    target = get_object_or_404(_visible(request), pk=into, model=model)
    like = _copied(request, model)
    new = services.add(area=request.area, person=request.user, diagram=target, table_ids=ids, like=like)
    messages.success(request, f"{len(new):,} of {len(ids):,} tables added; the others were on it. Press u to undo.")
    return redirect("diagrams:page", request.area.slug, target.pk)


def _copied(request: AreaRequest, model: StoredModel) -> Diagram | None:
    """Return the diagram whose arrangement a new one keeps, if it is one of the same model that the person may see."""
    found: Diagram | None = _visible(request).filter(pk=parse_int(request.POST.get("like")), model=model).first()
    return found


def _related(table_pk: int) -> set[int]:
    refers, referred = neighbours([table_pk])[table_pk]
    return refers | referred


def _matching(model: StoredModel, text: str) -> QuerySet[StoredTable]:
    """Return the tables of a model whose names hold every word of a text."""
    found = model.tables.filter(removed_at__isnull=True)
    for word in text.split():
        in_names = Q(name__icontains=word) | Q(schema__icontains=word) | Q(business_name__icontains=word)
        found = found.filter(in_names | Q(entity__business_name__icontains=word))
    return found


@require_GET
@in_area(Role.READER)
def around(request: AreaRequest, table_pk: int) -> HttpResponse:
    """A table and those that it is related to, drawn small for its page."""
    table = get_object_or_404(visible_tables(request.area), pk=table_pk)
    related = sorted(_related(table_pk))
    drawing = around_table(table_pk, related[:_AROUND], table.full_name)
    context = {
        "drawing": drawing,
        "body": mark_safe(body(drawing)),  # noqa: S308  every text in it is escaped where it is made
        "width": round(drawing.width),
        "height": round(drawing.height),
        "more": max(0, len(related) - _AROUND),
    }
    return render(request, "diagrams/_around.html", context)


@require_POST
@in_area(Role.STEWARD)
def set_card(request: AreaRequest, pk: int, table_pk: int) -> HttpResponse:
    """Give a table on a diagram a depth or a width of its own, or that of the diagram again."""
    diagram = _diagram(request, pk)
    try:
        moving.set_card(
            area=request.area, person=request.user, diagram=diagram, table_id=table_pk, given=request.POST.dict()
        )
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return trigger_client_event(HttpResponse(status=204), "words-changed")


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """One diagram to look at and to work on."""
    diagram = _diagram(request, pk)
    drawing = drawing_of(diagram)
    context = {
        "diagram": diagram,
        "model": diagram.model,
        "drawing": drawing,
        "state": state_of(diagram),
        "asked": sum(bool(line.confidence) for line in drawing.lines),
        "pieces": _pieces(drawing, diagram),
        "legend": drawing.legend,
        "total": diagram.model.tables.filter(removed_at__isnull=True).count(),
        "others": _visible(request).filter(model=diagram.model).exclude(pk=pk),
        "depths": Diagram.Depth.choices,
        "namings": Diagram.Naming.choices,
        "marks": [(mark.name, mark.label) for mark in marks()],
        "notations": list(LABELS.items()),
        "styles": [(style, _STYLE_LABELS[style]) for style in STYLES],
    }
    return render(request, "diagrams/page.html", context)


def _pieces(drawing: Drawing, diagram: Diagram) -> dict[str, Any]:
    """Return cards and lines each with its place and its SVG, in which every text is escaped; the page makes them when seen."""
    notation: Any = diagram.notation
    depending = {line.child for line in drawing.lines if line.identifying}
    return {
        "cards": [
            {
                "id": card.id, "x": card.x, "y": card.y, "width": card.width, "height": card.height, "hue": card.hue,
                "label": card.full_name, "svg": card_svg(card, notation, depends=card.key in depending),
            }
            for card in drawing.cards
        ],
        "notes": [
            {
                "id": note.id, "x": note.x, "y": note.y, "width": note.width, "height": note.height, "kind": note.kind,
                "svg": note_svg(note),
            }
            for note in drawing.notes
        ],
        "lines": [
            {"id": line.id, "ends": line.ends, "points": line.points, "svg": line_svg(line, notation),
             "bent": bool(line.bends)} for line in drawing.lines
        ],
    }  # fmt: skip


@require_GET
@in_area(Role.READER)
def content(request: AreaRequest, pk: int) -> HttpResponse:
    """The whole drawing again, unless the page shows this state already: what others did arrives so."""
    diagram = _diagram(request, pk)
    state = state_of(diagram)
    if request.GET.get("state") == state:
        return JsonResponse({"state": state})
    drawing = drawing_of(diagram)
    total = diagram.model.tables.filter(removed_at__isnull=True).count()
    return JsonResponse({"state": state, "pieces": _pieces(drawing, diagram), "total": total})


@require_GET
@in_area(Role.READER)
def list_margin(request: AreaRequest, pk: int) -> HttpResponse:
    """What is on a diagram as a list, for the margin."""
    diagram = _diagram(request, pk)
    context = {"diagram": diagram, "model": diagram.model, "drawing": drawing_of(diagram)}
    return render(request, "diagrams/_list_margin.html", context)


@require_POST
@in_area(Role.STEWARD)
def move(request: AreaRequest, pk: int) -> HttpResponse:
    """Move tables; answers the cards and lines that changed."""
    diagram = _diagram(request, pk)
    try:
        places = _places(request)
        before, state = diagram.routes.get("lines", {}), state_of(diagram)
        drawing = moving.move(area=request.area, person=request.user, diagram=diagram, places=places)
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return _changed(drawing, diagram, before, state, {f"t{id_}" for id_ in places})


def _changed(
    drawing: Drawing, diagram: Diagram, before: Mapping[str, Any], state: str, moved: Collection[str]
) -> JsonResponse:
    """Return the cards that moved and the lines that run elsewhere than before, for a page that shows a certain state."""
    whole = _pieces(drawing, diagram)
    return JsonResponse({
        "before": state,
        "state": state_of(diagram),
        "cards": [card for card in whole["cards"] if card["id"] in moved],
        "lines": [line for line in whole["lines"] if [list(point) for point in line["points"]] != before.get(line["id"])],
    })  # fmt: skip


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def line(request: AreaRequest, pk: int, relationship_pk: int) -> HttpResponse:
    """The margin of a line (GET); its corners chosen, or its way searched again where none are given (POST)."""
    diagram = _diagram(request, pk)
    if request.method == "GET":
        return _line_margin(request, diagram, relationship_pk)
    try:
        bends = _bends(request)
        before, state = diagram.routes.get("lines", {}), state_of(diagram)
        drawing = moving.bend(
            area=request.area, person=request.user, diagram=diagram, relationship_id=relationship_pk, bends=bends
        )
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return _changed(drawing, diagram, before, state, ())


def _line_margin(request: AreaRequest, diagram: Diagram, relationship_pk: int) -> HttpResponse:
    ends = {"table__model": diagram.model, "ref_table__isnull": False}
    relationship = get_object_or_404(
        StoredRelationship.objects.select_related("table", "ref_table"), pk=relationship_pk, **ends
    )
    drawn = lines_between(load_tables([relationship.table_id, relationship.ref_table_id or 0]))
    mine = [one for one in drawn if one.name.partition(" ")[0] == str(relationship_pk)]
    context = {
        "diagram": diagram,
        "relationship": relationship,
        "line": mine[0] if mine else None,
        "bent": diagram.bent_lines.filter(relationship=relationship).exists(),
    }
    return render(request, "diagrams/_line_margin.html", context)


def _bends(request: AreaRequest) -> list[tuple[float, float]]:
    try:
        given: Any = json.loads(request.body)
        return [(float(x), float(y)) for x, y in given["bends"]]
    except (ValueError, TypeError, KeyError) as error:
        raise DiagramError("These are no corners of a line. Load the page again.") from error


def _places(request: AreaRequest) -> dict[int, tuple[float, float]]:
    try:
        given: Any = json.loads(request.body)
        return {int(id_): (float(x), float(y)) for id_, (x, y) in given["places"].items()}
    except (ValueError, TypeError, KeyError, AttributeError) as error:
        raise DiagramError("These are no places of tables. Load the page again.") from error


@require_POST
@in_area(Role.STEWARD)
def add(request: AreaRequest, pk: int) -> HttpResponse:
    """Put tables on a diagram: those named, or what is related to one that is there."""
    diagram = _diagram(request, pk)
    ids = set(parse_ints(request.POST.getlist("table")))
    which = request.POST.get("neighbours", "")
    if which == "path":
        begin, end = (sorted(ids) * 2)[:2]
        ids = set(path_between(diagram.model_id, begin, end))
        if not ids:
            return JsonResponse({"message": "No relationships lead from one of these tables to the other."}, status=422)
    elif which == "two steps":
        ids = _step(_step(ids, "both") | ids, "both")
    elif which:
        ids = _step(ids, which)
    try:
        new = services.add(area=request.area, person=request.user, diagram=diagram, table_ids=ids)
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    text = (
        f"{len(new):,} table{'' if len(new) == 1 else 's'} added." if new else "All of them are on the diagram already."
    )
    return JsonResponse({"message": text, "added": [f"t{id_}" for id_ in new]})


def _step(ids: set[int], which: str) -> set[int]:
    """Return what some tables reference, what references them, or both."""
    related = neighbours(ids)
    refers = {one for pair in related.values() for one in pair[0]}
    referred = {one for pair in related.values() for one in pair[1]}
    return refers if which == "refers" else referred if which == "referred" else refers | referred


@require_POST
@in_area(Role.STEWARD)
def remove(request: AreaRequest, pk: int) -> HttpResponse:
    """Take tables off a diagram; the model keeps them."""
    diagram = _diagram(request, pk)
    try:
        count = services.remove(
            area=request.area, person=request.user, diagram=diagram, table_ids=parse_ints(request.POST.getlist("table"))
        )
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    text = (
        f"{count:,} table{'' if count == 1 else 's'} removed from the diagram. The model keeps them. Press u to undo."
    )
    return JsonResponse({"message": text})


@require_POST
@in_area(Role.STEWARD)
def arrange(request: AreaRequest, pk: int) -> HttpResponse:
    """Lay out all tables anew, or those that are named."""
    diagram = _diagram(request, pk)
    style: Any = request.POST.get("style", "")
    direction: Any = "down" if request.POST.get("direction") == "down" else "right"
    chosen = parse_ints(request.POST.getlist("table"))
    try:
        if style not in STYLES:
            raise DiagramError(f"“{style}” is no layout.")
        services.arrange(
            area=request.area, person=request.user, diagram=diagram, style=style, direction=direction,
            table_ids=set(chosen) if chosen else None,
        )  # fmt: skip
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return JsonResponse({"message": "Arranged. Press u to undo."})


@require_POST
@in_area(Role.STEWARD)
def set_view(request: AreaRequest, pk: int) -> HttpResponse:
    """Set name, depth, names or notation of a diagram."""
    diagram = _diagram(request, pk)
    try:
        services.set_view(area=request.area, person=request.user, diagram=diagram, given=request.POST.dict())
    except DiagramError as error:
        messages.error(request, str(error))
    return redirect("diagrams:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def delete(request: AreaRequest, pk: int) -> HttpResponse:
    """Delete a diagram; undo brings it back."""
    diagram = _diagram(request, pk)
    model_id, name = diagram.model_id, diagram.name
    try:
        services.delete(area=request.area, person=request.user, diagram=diagram)
        messages.success(request, f"The diagram {name} is deleted; the model keeps its tables. Press u to undo.")
    except DiagramError as error:
        messages.error(request, str(error))
    return redirect("diagrams:list", request.area.slug, model_id)


@require_POST
@in_area(Role.STEWARD)
def new_note(request: AreaRequest, pk: int) -> HttpResponse:
    """Put a note or a frame on a diagram; a frame goes around the tables that are named."""
    diagram = _diagram(request, pk)
    ids = {f"t{id_}" for id_ in parse_ints(request.POST.getlist("table"))}
    inside = [card for card in drawing_of(diagram).cards if card.id in ids]
    around = None
    if inside:
        left, top = min(card.x for card in inside), min(card.y for card in inside)
        right, bottom = max(card.right for card in inside), max(card.bottom for card in inside)
        around = {"x": left, "y": top, "width": right - left, "height": bottom - top}
    try:
        made = notes.create(
            area=request.area, person=request.user, diagram=diagram, kind=request.POST.get("kind", ""),
            text=request.POST.get("text", ""), around=around,
            at=(float(parse_int(request.POST.get("x"))), float(parse_int(request.POST.get("y")))),
        )  # fmt: skip
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return JsonResponse({"message": f"{made.get_kind_display()} added. Press u to undo.", "note": f"n{made.pk}"})


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def note(request: AreaRequest, pk: int, note_pk: int) -> HttpResponse:
    """The margin of a note (GET); its text, place or size changed (POST)."""
    diagram = _diagram(request, pk)
    if request.method == "GET":
        item = get_object_or_404(diagram.notes, pk=note_pk)
        return render(request, "diagrams/_note_margin.html", {"diagram": diagram, "note": item})
    try:
        notes.change(
            area=request.area, person=request.user, diagram=diagram, note_id=note_pk, given=request.POST.dict()
        )
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return trigger_client_event(HttpResponse(status=204), "words-changed")


@require_POST
@in_area(Role.STEWARD)
def delete_note(request: AreaRequest, pk: int, note_pk: int) -> HttpResponse:
    """Delete a note or frame; what lies in a frame stays."""
    diagram = _diagram(request, pk)
    try:
        notes.delete(area=request.area, person=request.user, diagram=diagram, note_id=note_pk)
    except DiagramError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return JsonResponse({"message": "Deleted. Press u to undo."})


@require_GET
@in_area(Role.READER)
def find_tables(request: AreaRequest, pk: int) -> HttpResponse:
    """The tables of the model whose names hold what is typed, for adding; those on the diagram say so."""
    diagram = _diagram(request, pk)
    text = request.GET.get("q", "").strip()[:100]
    found = _matching(diagram.model, text)
    there = set(diagram.cards.values_list("table_id", flat=True))
    rows = [(table, table.pk in there) for table in found.select_related("entity").order_by("schema", "name")[:_FOUND]]
    context = {
        "diagram": diagram,
        "rows": rows,
        "text": text,
        "total": found.count(),
        "new": list(found.exclude(pk__in=there).values_list("pk", flat=True)[:_ADDED_AT_ONCE]) if text else [],
    }
    return render(request, "diagrams/_found_tables.html", context)


@require_GET
@in_area(Role.READER)
def card_margin(request: AreaRequest, pk: int, table_pk: int) -> HttpResponse:
    """What belongs to a table on a diagram: its words, what it is related to and what of that is shown, and what to do."""
    diagram = _diagram(request, pk)
    table = get_object_or_404(
        visible_tables(request.area).select_related("entity", "model"), pk=table_pk, model_id=diagram.model_id
    )
    refers, referred = neighbours([table_pk])[table_pk]
    there = set(diagram.cards.values_list("table_id", flat=True))
    tables = StoredTable.objects.in_bulk(refers | referred)
    context = {
        "diagram": diagram, "table": table, "depths": Diagram.Depth.choices,
        "card": diagram.cards.filter(table_id=table_pk).first(), "least_width": LEAST_WIDTH, "most_width": MOST_WIDTH,
        "business_name": table.business_name or (table.entity.business_name if table.entity else ""),
        "definition": table.definition or (table.entity.definition if table.entity else ""),
        "columns": table.columns.filter(removed_at__isnull=True).count(),
        "groups": [
            ("References", "refers", _listed(refers, tables, there)),
            ("Referenced by", "referred", _listed(referred, tables, there)),
        ],
    }  # fmt: skip
    return render(request, "diagrams/_card_margin.html", context)


def _listed(ids: set[int], tables: dict[int, StoredTable], there: set[int]) -> list[tuple[StoredTable, bool]]:
    found = [(tables[id_], id_ in there) for id_ in ids if id_ in tables]
    return sorted(found, key=lambda one: (not one[1], one[0].full_name))


@require_GET
@in_area(Role.READER)
def export(request: AreaRequest, pk: int, form: str) -> HttpResponse:
    """The diagram as a file: a picture, pages, or text that other programs read."""
    diagram = _diagram(request, pk)
    if form not in _FORMS:
        raise Http404("No such form.")
    try:
        content = _exported(request, diagram, form)
    except TooLargeError as error:
        messages.error(request, str(error))
        return redirect("diagrams:page", request.area.slug, pk)
    name = re.sub(r"[^\w-]+", "-", diagram.name).strip("-") or "diagram"
    response = HttpResponse(content, content_type=_FORMS[form])
    response["Content-Disposition"] = f'attachment; filename="{name}.{form}"'
    return response


def _exported(request: AreaRequest, diagram: Diagram, form: str) -> str | bytes:
    drawing = drawing_of(diagram)
    measure(drawing)
    if form in ("mmd", "dot"):
        return as_mermaid(drawing) if form == "mmd" else as_dot(drawing)
    notation: Any = diagram.notation
    palette = "dark" if request.GET.get("theme") == "dark" else "light"
    svg = document(drawing, notation, palette=palette, fonts=SHIPPED if form == "svg" else None)
    if form == "png":
        return png_of(svg, min(MOST_TIMES, max(1, parse_int(request.GET.get("times")))))
    if form == "pdf":
        wanted = request.GET.get("paper", "")
        return pdf_of(svg, next((paper for paper in PAPERS if paper == wanted), "one"), diagram.name)
    return svg


def _visible(request: AreaRequest) -> Any:
    """Return the diagrams of the area that the person may see: shared ones and their own."""
    found = Diagram.objects.filter(model__area=request.area).select_related("model__area", "private_to")
    return found.filter(Q(private_to__isnull=True) | Q(private_to=request.user))


def _diagram(request: AreaRequest, pk: int) -> Diagram:
    found: Diagram = get_object_or_404(_visible(request), pk=pk)
    return found
