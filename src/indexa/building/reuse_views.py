"""Tables under another name, in another schema or in another model, and the parts they play; what there is already of a name."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import reuse, services
from indexa.building.offered_types import HISTORIES, PARTS
from indexa.building.views import done_to_table, editable_table
from indexa.changes.recording import Recorder
from indexa.core.building import changing, denormalising
from indexa.core.building.parts import BuildError, Part
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int, parse_ints


@require_GET
@in_area(Role.STEWARD)
def similar_columns(request: AreaRequest, table_pk: int) -> HttpResponse:
    """Columns of the typed name elsewhere in the area, offered to be used again."""
    table = editable_table(request, table_pk)
    found = reuse.similar_columns(request.area, table, request.GET.get("name", "")[:200])
    return render(request, "building/_similar_columns.html", {"table": table, "found": found})


@require_GET
@in_area(Role.STEWARD)
def similar_tables(request: AreaRequest, pk: int) -> HttpResponse:
    """Tables of the typed name in the area, offered to be copied."""
    model = get_object_or_404(StoredModel, pk=pk, area=request.area)
    found = reuse.similar_tables(request.area, model, request.GET.get("name", "")[:200])
    return render(request, "building/_similar_tables.html", {"model": model, "found": found})


@require_POST
@in_area(Role.STEWARD)
def rename_table(request: AreaRequest, table_pk: int) -> HttpResponse:
    """Give a table another name, or move it to another schema."""
    table = editable_table(request, table_pk)
    name, schema = request.POST.get("name", ""), request.POST.get("schema", table.schema).strip()[:200]
    return done_to_table(
        request, table, f"{table.name} is called {name.strip()[:80]}",
        lambda part: changing.rename_table(part, table.pk, name, schema), about=frozenset({table.pk}),
    )  # fmt: skip


@require_POST
@in_area(Role.STEWARD)
def copy_table(request: AreaRequest, table_pk: int) -> HttpResponse:
    """Copy a table with its columns, keys and words, into this model or another one of its layer."""
    table = editable_table(request, table_pk)
    model = get_object_or_404(
        StoredModel, pk=parse_int(request.POST.get("model")), area=request.area, layer=table.model.layer
    )
    name = request.POST.get("name", "")
    made: list[reuse.Copied] = []

    def work(part: Part) -> None:
        made.append(reuse.copy_into(part, table, name, table.schema))

    def also(changes: Recorder, ids: dict[int, int]) -> None:
        copied = made[0]
        words = {ids[new]: old for new, old in copied.columns.items()}
        reuse.copy_words(changes, words, (ids[copied.table.id], table.pk))

    try:
        built = services.change(
            area=request.area, person=request.user, model=model, tables=[], why=f"Copied {table.name} from {table.model.name}",
            work=work, also=also,
        )  # fmt: skip
    except BuildError as error:
        messages.error(request, str(error))
        return redirect("modeling:table", request.area.slug, table.pk)
    messages.success(request, f"{name.strip()} is copied to {model.name}. Press u to undo.")
    return redirect("modeling:table", request.area.slug, built.ids[made[0].table.id])


@require_POST
@in_area(Role.STEWARD)
def set_part(request: AreaRequest, table_pk: int) -> HttpResponse:
    """Say which part a table plays, and for a dimension which history it keeps."""
    table = editable_table(request, table_pk)
    part, history = request.POST.get("part", ""), request.POST.get("history", "")
    known = part in PARTS and (part != "dimension" or history in HISTORIES)
    if known:
        wanted = f"{part}; {history}" if part == "dimension" and history else part
        services.set_part(area=request.area, person=request.user, table=table, part=wanted)
    return done_to_table(request, table, "", lambda _: None)


@require_POST
@in_area(Role.STEWARD)
def denormalise(request: AreaRequest, table_pk: int) -> HttpResponse:
    """Merge a table into this one, split some columns off it, or repeat a column of a table above; attributes stay implemented."""
    table = editable_table(request, table_pk)
    other, column = parse_int(request.POST.get("other")), parse_int(request.POST.get("repeat"))
    name = request.POST.get("name", "")
    made: dict[int, int] = {}

    def work(part: Part) -> None:
        if other:
            made.update(denormalising.merge_tables(part, table.pk, other))
        elif column:
            made.update(denormalising.repeat_column(part, table.pk, column))
        else:
            made.update(denormalising.split_table(part, table.pk, parse_ints(request.POST.getlist("column")), name))

    def also(changes: Recorder, ids: dict[int, int]) -> None:
        reuse.link_copies(changes, {ids[new]: old for new, old in made.items()})

    what = (
        "merged another table into it" if other else "repeated a column" if column else f"split off {name.strip()[:80]}"
    )
    return done_to_table(request, table, f"Denormalised {table.name}: {what}", work, also=also)
