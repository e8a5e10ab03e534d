"""Building by hand: new models, tables drawn and edited, relationships, and models derived from others."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import trigger_client_event

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import services
from indexa.building.copying import model_of_file, store_copy
from indexa.building.loading import load_part
from indexa.building.objects import kinds_for
from indexa.building.offered_types import HISTORIES, PARTS, offered_types
from indexa.building.reuse import copy_into, copy_words
from indexa.changes.recording import Recorder
from indexa.core import platforms
from indexa.core.building import changing
from indexa.core.building.parts import BuildError, Column, Part, Relationship, Table
from indexa.core.ddl.targets import TARGETS
from indexa.core.model.parts import ACTIONS
from indexa.diagrams import services as diagrams
from indexa.diagrams.drawing import draw, load_tables
from indexa.diagrams.models import Diagram, DiagramCard
from indexa.diagrams.saving import touch
from indexa.diagrams.suggestions import suggestions
from indexa.modeling.queries import visible_tables
from indexa.naming.standards.services import standard_of
from indexa.store.loading import load_model
from indexa.store.models import Layer, StoredColumn, StoredModel, StoredRelationship, StoredTable
from indexa.ui.parameters import parse_int, parse_ints


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def new_model(request: AreaRequest) -> HttpResponse:
    """A form for an empty model, which begins with an empty diagram."""
    context = {
        "platforms": [(name, platforms.label_of(name)) for name in sorted(TARGETS)],
        "models": StoredModel.objects.filter(area=request.area).order_by("-is_starter", "layer", "name"),
        "given": request.POST,
    }
    if request.method == "GET":
        return render(request, "building/new_model.html", context)
    try:
        with transaction.atomic():
            model = _begun(request)
            most = [one.table_ids for one in suggestions(model)[:1]]
            other = _beginning(request)
            shown = other.diagrams.order_by("pk").first() if other else None
            diagram = diagrams.create(
                area=request.area, person=request.user, model=model, name=model.name,
                table_ids=most[0] if most else [], depth=shown.depth if shown else Diagram.Depth.COLUMNS,
                naming=shown.naming if shown else Diagram.Naming.BUSINESS if model.layer == Layer.LOGICAL else Diagram.Naming.PHYSICAL,
            )  # fmt: skip
    except BuildError as error:
        messages.error(request, str(error))
        return render(request, "building/new_model.html", context, status=422)
    return redirect("diagrams:page", request.area.slug, diagram.pk)


def _begun(request: AreaRequest) -> StoredModel:
    """Make the model that is asked for: empty, or with the content of another one or of a file."""
    given: Any = {name: request.POST.get(name, "") for name in ("name", "layer", "platform")}
    file = request.FILES.get("file")
    other = _beginning(request)
    if file is None and other is None:
        return services.create_model(area=request.area, **given)
    content = model_of_file(file) if file else load_model(other, with_words=True)  # type: ignore[arg-type]
    if content.layer != given["layer"]:
        raise BuildError(
            f"That is a {content.layer} model. Choose that layer; a model of the other is derived from it."
        )
    made = store_copy(area=request.area, model=content, **(given | {"platform": content.platform}))
    standard = standard_of(other) if other is not None and file is None else None
    if standard is not None:
        standard.governs.add(made)
    return made


def _beginning(request: AreaRequest) -> StoredModel | None:
    """Return the model that a new one begins as a copy of."""
    return StoredModel.objects.filter(area=request.area, pk=parse_int(request.POST.get("from"))).first()


@require_POST
@in_area(Role.STEWARD)
def set_starter(request: AreaRequest, pk: int) -> HttpResponse:
    """Offer a model as a starter for new ones, or no longer."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    model.is_starter = not model.is_starter
    model.save(update_fields=["is_starter"])
    told = "is offered when a new model begins." if model.is_starter else "is no longer offered as a starter."
    messages.success(request, f"{model.name} {told}")
    return redirect("modeling:overview", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def add_table(request: AreaRequest, pk: int) -> HttpResponse:
    """Add a table or entity, and put it on a diagram where one is named."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    name = request.POST.get("name", "")
    diagram = model.diagrams.filter(pk=parse_int(request.POST.get("diagram"))).first()
    at = float(parse_int(request.POST.get("x"))), float(parse_int(request.POST.get("y")))
    like = visible_tables(request.area).filter(pk=parse_int(request.POST.get("like"))).select_related("model").first()
    made: dict[str, Any] = {}

    def work(part: Part) -> None:
        if like is not None:
            made["copied"] = copy_into(part, like, name, request.POST.get("schema", ""))
            made["id"] = made["copied"].table.id
        else:
            made["id"] = changing.add_table(part, name, request.POST.get("schema", "")).id

    def also(changes: Recorder, ids: dict[int, int]) -> None:
        if like is not None:
            words = {ids[new]: old for new, old in made["copied"].columns.items()}
            copy_words(changes, words, (ids[made["id"]], like.pk))
        if diagram is not None:
            card = DiagramCard(diagram=diagram, table_id=ids[made["id"]], x=at[0], y=at[1])
            drawn = draw(load_tables([card.table_id]), [card], depth=diagram.depth, naming=diagram.naming, title="")
            diagrams.put_cards(changes, diagram, drawn.cards)

    kind = "entity" if model.layer == Layer.LOGICAL else "table"
    done = _answered(lambda: services.change(
        area=request.area, person=request.user, model=model, tables=[], why=f"New {kind} {name.strip()[:80]}", work=work, also=also,
    ))  # fmt: skip
    if isinstance(done, HttpResponse):
        return done
    if diagram is not None:
        touch(diagram)
    return JsonResponse({"table": f"t{done.ids[made['id']]}"})


@require_POST
@in_area(Role.STEWARD)
def relate(request: AreaRequest, pk: int) -> HttpResponse:
    """Have a child refer to a parent; answers what came along, in words."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    parent = get_object_or_404(model.tables, pk=parse_int(request.POST.get("parent")), removed_at__isnull=True)
    child = get_object_or_404(model.tables, pk=parse_int(request.POST.get("child")), removed_at__isnull=True)
    kind = request.POST.get("kind", "")
    made: dict[str, int] = {}

    def work(part: Part) -> None:
        if kind == "many":
            made["between"] = changing.associate(part, parent.pk, child.pk).id
            return
        if kind == "subtype":
            changing.make_subtype(part, child.pk, of=parent.pk)
            return
        changing.relate(
            part, parent.pk, child.pk, identifying=kind == "identifying", optional=kind == "optional",
            role=request.POST.get("role", "").strip()[:60],
        )  # fmt: skip

    diagram = model.diagrams.filter(pk=parse_int(request.POST.get("diagram"))).first() if kind == "many" else None

    def also(changes: Recorder, ids: dict[int, int]) -> None:
        if diagram is not None:
            _put_between(changes, diagram, ids[made["between"]], (parent.pk, child.pk))
        if kind == "subtype" and child.table_role != "subtype":
            StoredTable.objects.filter(pk=child.pk).update(table_role="subtype")
            before, after = {"table_role": child.table_role}, {"table_role": "subtype"}
            changes.update("table", child.pk, child.name, "record", before, after)

    done = _answered(lambda: services.change(
        area=request.area, person=request.user, model=model, tables=[parent.pk, child.pk],
        why=f"New relationship between {child.name} and {parent.name}", work=work, also=also,
    ))  # fmt: skip
    if isinstance(done, HttpResponse):
        return done
    if diagram is not None:
        touch(diagram)
    shown = done.ids[made["between"]] if made else child.pk
    return JsonResponse({"message": f"{' '.join(done.told) or 'Related.'} Press u to undo.", "table": f"t{shown}"})


def _put_between(changes: Recorder, diagram: Diagram, table_id: int, ends: tuple[int, int]) -> None:
    """Put a table on a diagram between two that are there, below where they lie side by side."""
    places = list(diagram.cards.filter(table_id__in=ends).values_list("x", "y"))
    x = sum(place[0] for place in places) / len(places) if places else 40.0
    y = max((place[1] for place in places), default=40.0) + 180
    card = DiagramCard(diagram=diagram, table_id=table_id, x=round(x), y=round(y))
    drawn = draw(load_tables([table_id]), [card], depth=diagram.depth, naming=diagram.naming, title="")
    diagrams.put_cards(changes, diagram, drawn.cards)


@require_POST
@in_area(Role.STEWARD)
def change_relationship(request: AreaRequest, pk: int, relationship_pk: int) -> HttpResponse:
    """Make a relationship identifying, mandatory or optional, or delete it."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    one = get_object_or_404(
        StoredRelationship.objects.select_related("table", "ref_table"), pk=relationship_pk, table__model=model
    )
    kind = request.POST.get("kind", "")
    label = f"the relationship from {one.table.name} to {one.ref_table.name if one.ref_table else ''}"

    def work(part: Part) -> None:
        if kind == "delete":
            changing.unrelate(part, one.pk)
        elif kind == "words":
            changing.describe_relationship(
                part, one.pk, at_most_one="at_most_one" in request.POST,
                **{name: request.POST.get(name, "") for name in ("on_delete", "on_update", "phrase", "phrase_back")},
            )  # fmt: skip
        else:
            changing.change_relationship(part, one.pk, identifying=kind == "identifying", optional=kind == "optional")

    return done_to_table(
        request, one.table, f"{'Deleted' if kind == 'delete' else 'Changed'} {label}", work, about=frozenset({one.pk})
    )


@require_GET
@in_area(Role.READER)
def table_parts(request: AreaRequest, table_pk: int) -> HttpResponse:
    """The columns, key and relationships of a table, to be edited in place."""
    return _show_parts(request, editable_table(request, table_pk))


@require_POST
@in_area(Role.STEWARD)
def add_column(request: AreaRequest, table_pk: int) -> HttpResponse:
    """Add a column; `in_key` puts it into the key, `like` makes it as another one is, with its words."""
    table = editable_table(request, table_pk)
    like = StoredColumn.objects.filter(pk=parse_int(request.POST.get("like")), table__model__area=request.area).first()
    name = like.name if like else request.POST.get("name", "")

    about: set[int] = set()

    def work(part: Part) -> None:
        made = changing.add_column(
            part, table.pk, name, like.type if like else request.POST.get("type", "")[:200],
            nullable="required" not in request.POST, in_key="in_key" in request.POST,
        )  # fmt: skip
        about.add(made.id)

    def also(changes: Recorder, ids: dict[int, int]) -> None:
        if like is not None:
            copy_words(changes, {ids[id_]: like.pk for id_ in about})

    return done_to_table(
        request, table, f"New column {table.name}.{name.strip()[:80]}", work, about=about, focus="new", also=also
    )


@require_POST
@in_area(Role.STEWARD)
def change_column(request: AreaRequest, table_pk: int, column_pk: int) -> HttpResponse:
    """Change a column: name, type, whether it may be empty or is in the key, its place; or delete it."""
    table = editable_table(request, table_pk)
    what = request.POST.get("what", "")
    column = get_object_or_404(table.columns, pk=column_pk, removed_at__isnull=True)

    def work(part: Part) -> None:
        own = part.table(table.pk)
        ids = [one.id for one in own.columns]
        at = ids.index(column_pk)
        if what == "delete":
            changing.delete_column(part, table.pk, column_pk)
        elif what == "up" and at:
            changing.move_column(part, table.pk, column_pk, ids[at - 2] if at > 1 else 0)
        elif what == "down" and at + 1 < len(ids):
            changing.move_column(part, table.pk, column_pk, ids[at + 1])
        elif what == "key":
            key = [id_ for id_ in own.key if id_ != column_pk] if column_pk in own.key else [*own.key, column_pk]
            changing.set_key(part, table.pk, key)
        elif what == "save":
            changing.change_column(
                part, table.pk, column_pk, name=request.POST.get("name"), type_=request.POST.get("type"),
                nullable="required" not in request.POST and column_pk not in own.key,
                default=request.POST.get("default"),
            )  # fmt: skip

    verb = "Deleted" if what == "delete" else "Changed"
    return done_to_table(request, table, f"{verb} {table.name}.{column.name}", work, about=frozenset({column_pk}))


@require_POST
@in_area(Role.STEWARD)
def change_unique(request: AreaRequest, table_pk: int) -> HttpResponse:
    """Add a unique key of some columns, or delete one."""
    table = editable_table(request, table_pk)
    gone = parse_int(request.POST.get("delete"))

    def work(part: Part) -> None:
        if gone:
            changing.delete_unique(part, table.pk, gone)
        else:
            changing.add_unique(part, table.pk, parse_ints(request.POST.getlist("column")))

    return done_to_table(request, table, f"{'Deleted' if gone else 'New'} unique key of {table.name}", work)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def delete_table(request: AreaRequest, table_pk: int) -> HttpResponse:
    """What deleting a table from the model takes along (GET); delete it (POST)."""
    table = editable_table(request, table_pk)

    def work(part: Part) -> None:
        changing.delete_table(part, table.pk)

    about = frozenset({table.pk})
    if request.method == "GET":
        told = _answered(lambda: services.preview(model=table.model, tables=[table.pk], work=work, about=about))
        return (
            told
            if isinstance(told, HttpResponse)
            else render(request, "building/_delete_table.html", {"table": table, "told": told})
        )
    done = _answered(lambda: services.change(
        area=request.area, person=request.user, model=table.model, tables=[table.pk], why=f"Deleted {table.name}", work=work, about=about,
    ))  # fmt: skip
    if isinstance(done, HttpResponse):
        return done
    messages.success(request, f"{table.name} is deleted from {table.model.name}. Press u to undo.")
    response = HttpResponse(status=204)
    diagram = Diagram.objects.filter(pk=parse_int(request.POST.get("diagram")), model=table.model).first()
    where = (
        f"/a/{request.area.slug}/diagrams/{diagram.pk}/"
        if diagram
        else f"/a/{request.area.slug}/models/{table.model_id}/"
    )
    response["HX-Redirect"] = where
    return response


def editable_table(request: AreaRequest, pk: int) -> StoredTable:
    found: StoredTable = get_object_or_404(
        visible_tables(request.area).select_related("model", "entity"), pk=pk, removed_at__isnull=True
    )
    return found


def _answered(work: Callable[[], Any]) -> Any:
    """Return what a change returns, or the answer that says why it can't be."""
    try:
        return work()
    except BuildError as error:
        return JsonResponse({"message": str(error)}, status=422)


def done_to_table(
    request: AreaRequest,
    table: StoredTable,
    why: str,
    work: Callable[[Part], object],
    *,
    about: Collection[int] = (),
    focus: str = "",
    also: Callable[[Recorder, dict[int, int]], None] | None = None,
) -> HttpResponse:
    """Do a change of a table, and show the table as it is then, with what came along or why it can't be."""
    told: list[str] = []
    problem = ""
    try:
        told = services.change(
            area=request.area,
            person=request.user,
            model=table.model,
            tables=[table.pk],
            why=why,
            work=work,
            about=about,
            also=also,
        ).told
    except BuildError as error:
        problem = str(error)
    table.refresh_from_db(fields=["name", "schema"])
    response = _show_parts(request, table, told=told, problem=problem, focus=focus)
    return trigger_client_event(response, "words-changed", after="settle")


def _show_parts(
    request: AreaRequest, table: StoredTable, *, told: list[str] | None = None, problem: str = "", focus: str = ""
) -> HttpResponse:
    part = load_part(table.model, [table.pk])
    own = part.tables[table.pk]
    brought = {id_: part.tables[one.parent].name for one in part.as_child(table.pk) for id_ in one.columns}
    context = {
        "table": table,
        "rows": [(column, column.id in own.key, brought.get(column.id, "")) for column in own.columns],
        "parents": [
            (one, part.tables[one.parent], _kind(one.identifying, one.optional)) for one in part.as_child(table.pk)
        ],
        "children": [(one, part.tables[one.child]) for one in part.as_parent(table.pk)],
        "unique": [(one.id, ", ".join(own.column(id_).name for id_ in one.columns)) for one in own.unique],
        "single": {one.id for one in part.as_child(table.pk) if _is_single(own, one)},
        "actions": ACTIONS,
        "objects": _objects(request, table),
        "kinds": kinds_for(table.model, of_table=True),
        "above": _above(part, table.pk) if table.model.layer == Layer.PHYSICAL else [],
        "roles": PARTS,
        "histories": HISTORIES,
        "models": StoredModel.objects.filter(area=request.area, layer=table.model.layer).order_by("name"),
        "types": offered_types(table.model),
        "told": told or [],
        "problem": problem,
        "focus": focus,
        "words": "attribute" if table.model.layer == Layer.LOGICAL else "column",
    }
    return render(request, "building/_table_parts.html", context)


def _above(part: Part, table_id: int) -> list[tuple[Table, list[Column]]]:
    """Return the tables that a table refers to, however far up, each with the columns that could be repeated."""
    found: dict[int, Table] = {}
    waiting = [table_id]
    while waiting:
        for one in part.as_child(waiting.pop()):
            if one.parent not in found and one.parent != table_id:
                found[one.parent] = part.tables[one.parent]
                waiting.append(one.parent)
    return [(table, [column for column in table.columns if column.id not in table.key]) for table in found.values()]


def _is_single(table: Table, one: Relationship) -> bool:
    """Return whether a key of the child is made of just the relationship's columns."""
    return any(set(columns) == set(one.columns) for columns in (table.key, *(key.columns for key in table.unique)))


def _objects(request: AreaRequest, table: StoredTable) -> list[tuple[str, str, str]]:
    """Return the indexes, checks and triggers of a table: kind, name, and where each is changed."""
    found = [("index", pk, name) for pk, name in table.indexes.order_by("name").values_list("pk", "name")]
    found += [("check", pk, name) for pk, name in table.checks.order_by("name").values_list("pk", "name")]
    found += [("trigger", at, one["name"]) for at, one in enumerate(table.properties.get("triggers", []), 1)]
    return [
        (
            kind,
            name,
            f"{reverse('building:object', args=[request.area.slug, table.model_id, kind, pk])}?table={table.pk}",
        )
        for kind, pk, name in found
    ]


def _kind(identifying: bool, optional: bool) -> str:
    return "identifying" if identifying else "optional" if optional else "mandatory"
