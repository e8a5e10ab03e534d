"""Pages of models and tables, and the margin in which they are named and described."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.db import transaction
from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import reswap, retarget, trigger_client_event

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.model import file
from indexa.modeling import editing, queries, relationship_list, services
from indexa.modeling.pictures import pictures_in
from indexa.modeling.relationship_list import relationship_rows
from indexa.modeling.waiting import waiting_in
from indexa.store import removed as gone
from indexa.store.errors import EditError, StaleEditError
from indexa.store.loading import load_model
from indexa.store.models import DescribedColumn, Layer, StoredColumn, StoredModel, StoredTable
from indexa.ui.htmx import wants_fragment
from indexa.ui.parameters import parse_int
from indexa.ui.sorting import sort_heads

_LAST_PAGE = 100_000
_CHANGES_A_PAGE = 50
_TABLES_A_PAGE = 100


@require_GET
@in_area(Role.READER)
def model_list(request: AreaRequest) -> HttpResponse:
    """All models of the area, physical ones beside the logical one they implement."""
    models = list(
        StoredModel.objects.filter(area=request.area).select_related("logical").prefetch_related("physical_models")
    )
    coverage = queries.coverage(models)
    waiting, pictures = waiting_in(request.area), pictures_in(request.area, request.user)
    rows: list[dict[str, Any]] = [
        {
            "model": model,
            "coverage": coverage[model.pk],
            "waiting": waiting.get(model.pk, ()),
            "picture": pictures.get(model.pk, ""),
        }
        for model in models
    ]
    groups = [(label, [row for row in rows if row["model"].layer == layer]) for layer, label in Layer.choices]
    return render(request, "modeling/list.html", {"groups": groups, "models": models})


@require_GET
@in_area(Role.READER)
def overview(request: AreaRequest, pk: int) -> HttpResponse:
    """What a model holds, how far it is described, and its landmarks."""
    model = _model(request, pk)
    context = {
        "model": model,
        "coverage": queries.coverage([model])[model.pk],
        "landmarks": queries.landmarks(model),
        "apart": model.model_objects.values("kind").annotate(count=Count("pk")).order_by("kind"),
        "gone": gone.count(model),
        "intakes": model.intakes.select_related("source", "person")[:5],
        "changes": queries.change_sets(model, 0, 6),
        "unused_logical": services.unused_logical(model) if request.role == Role.ADMINISTRATOR else None,
    }
    return render(request, "modeling/overview.html", context)


@require_GET
@in_area(Role.READER)
def tables(request: AreaRequest, pk: int) -> HttpResponse:
    """All tables of a model, to filter as one types."""
    model = _model(request, pk)
    text = request.GET.get("q", "")[:200]
    given = request.GET.get("sort", "")
    sort = given if given.removeprefix("-") in queries.TABLE_SORTS else ""
    kind = "view" if request.GET.get("kind") == "view" else ""
    page = _page_number(request)
    rows, total = queries.table_rows(model, text, page, _TABLES_A_PAGE, sort=sort, views_only=bool(kind))
    kept = {name: value for name, value in (("q", text), ("sort", sort), ("kind", kind)) if value}
    context = {
        "model": model,
        "rows": rows,
        "total": total,
        "text": text,
        "terms": text.lower().split(),
        "kind": kind,
        "sort": sort,
        "heads": sort_heads(
            [
                ("", "Entity" if model.layer == Layer.LOGICAL else "Table"),
                ("business_name", "Business name"),
                ("kind", "Kind"),
                ("columns", "Columns"),
                ("described", "Described"),
                ("refers", "References"),
                ("referred", "Referenced by"),
                (None, "Definition"),
            ],
            sort,
            kept,
        ),
        "kept": urlencode(kept),
        "page": page,
        "more": page * _TABLES_A_PAGE < total,
    }
    return render(request, "modeling/_tables.html" if wants_fragment(request) else "modeling/tables.html", context)


@require_GET
@in_area(Role.READER)
def relationships(request: AreaRequest, pk: int) -> HttpResponse:
    """All relationships of a model, to filter and sort."""
    model = _model(request, pk)
    text = request.GET.get("q", "")[:200].strip()
    show = request.GET.get("show", "") if request.GET.get("show", "") in relationship_list.SHOWN else ""
    sort = request.GET.get("sort", "") if request.GET.get("sort", "") in relationship_list.SORTS else ""
    page = _page_number(request)
    rows, counts = relationship_rows(model, text=text, shown=show, sort=sort, page=page, size=_TABLES_A_PAGE)
    kept = {name: value for name, value in (("q", text), ("show", show), ("sort", sort)) if value}
    context = {
        "model": model,
        "rows": rows,
        "text": text,
        "terms": text.lower().split(),
        "show": show,
        "chips": [
            {"kind": kind, "label": label, "count": counts[kind], "query": urlencode({**kept, "show": kind})}
            for kind, label in relationship_list.SHOWN.items()
            if counts[kind] or kind in ("", show)
        ],
        "heads": sort_heads(
            [("", "Child"), (None, "Columns"), ("parent", "Parent"), (None, "Its columns"), (None, "Cardinality"), ("name", "Name")],
            sort, kept, first_descending="-child",
        ),
        "kept": urlencode(kept),
        "page": page,
        "more": page * _TABLES_A_PAGE < counts[show],
    }  # fmt: skip
    return render(request, "modeling/relationships.html", context)


@require_GET
@in_area(Role.READER)
def model_objects(request: AreaRequest, pk: int) -> HttpResponse:
    """Types, domains, sequences and routines of a model."""
    model = _model(request, pk)
    kind = request.GET.get("kind", "")
    found = model.model_objects.order_by("kind", "schema", "name")
    kinds = model.model_objects.values_list("kind", flat=True).distinct().order_by("kind")
    if kind:
        found = found.filter(kind=kind)
    page, size = _page_number(request), _TABLES_A_PAGE
    shown = list(found[(page - 1) * size : page * size + 1])
    context = {
        "model": model,
        "objects": shown[:size],
        "kinds": kinds,
        "kind": kind,
        "kept": urlencode({"kind": kind} if kind else {}),
        "page": page,
        "more": len(shown) > size,
    }
    return render(request, "modeling/objects.html", context)


@require_GET
@in_area(Role.READER)
def history(request: AreaRequest, pk: int) -> HttpResponse:
    """Every change set of a model, newest first."""
    model = _model(request, pk)
    page, size = _page_number(request), _CHANGES_A_PAGE
    found = queries.change_sets(model, (page - 1) * size, size + 1)
    context = {"model": model, "changes": found[:size], "page": page, "more": len(found) > size}
    return render(request, "modeling/history.html", context)


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def gone_list(request: AreaRequest, pk: int) -> HttpResponse:
    """What the source no longer has; posting ticked ones lets go of them for good."""
    model = _model(request, pk)
    if request.method == "POST":
        ticked = [one.partition("-") for one in request.POST.getlist("gone")]
        ids = {
            kind: [int(id_) for target, _, id_ in ticked if target == kind and id_.isdigit()]
            for kind in ("table", "column")
        }
        with transaction.atomic():
            count = gone.purge(model, table_ids=ids["table"], column_ids=ids["column"])
        messages.success(request, f"{count:,} deleted for good.")
        return redirect("modeling:gone", request.area.slug, pk)
    rows, total = gone.gone_rows(model)
    return render(request, "modeling/gone.html", {"model": model, "rows": rows, "total": total})


@require_GET
@in_area(Role.READER)
def model_file(request: AreaRequest, pk: int) -> HttpResponse:
    """The model as a model file."""
    model = _model(request, pk)
    response = HttpResponse(file.write(load_model(model)), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="model-{model.pk}-{model.layer}.json"'
    return response


@require_POST
@in_area(Role.ADMINISTRATOR)
def delete(request: AreaRequest, pk: int) -> HttpResponse:
    """Delete a model."""
    _model(request, pk)
    try:
        name = services.delete(area=request.area, model_id=pk, with_logical="with_logical" in request.POST)
    except services.ModelInUseError as error:
        messages.error(request, str(error))
        return redirect("modeling:overview", request.area.slug, pk)
    messages.success(request, f"The model “{name}” is deleted.")
    return redirect("modeling:list", request.area.slug)


@require_GET
@in_area(Role.READER)
def table(request: AreaRequest, pk: int) -> HttpResponse:
    """A table with its columns, keys, relationships both ways, indexes, checks, and its margin."""
    removed = StoredTable.objects.filter(pk=pk, model__area=request.area, removed_at__isnull=False).first()
    if removed is not None:
        messages.warning(
            request,
            f"{removed.full_name} is no longer in the source since {removed.removed_at:%-d %b %Y}. "
            "Its names and definitions are kept here.",
        )
        return redirect("modeling:gone", request.area.slug, removed.model_id)
    found = get_object_or_404(queries.visible_tables(request.area).select_related("model", "entity"), pk=pk)
    services.count_view(found)
    refers, referred = queries.references(found)
    columns = queries.columns_of(found)
    names = {column.pk: column.name for column in columns}
    owned = list(found.keys.order_by("kind", "name"))
    asserted = queries.asserted_by("key", [key.pk for key in owned if key.asserted_at])
    keys = [
        {"key": key, "columns": [names.get(id_, "?") for id_ in key.column_ids], "by": asserted.get(key.pk, "")}
        for key in owned
    ]
    selected = parse_int(request.GET.get("column"))
    context = {
        "table": found,
        "columns": columns,
        "keys": keys,
        "refers": refers,
        "referred": referred,
        "indexes": queries.indexes_of(found),
        "checks": queries.checks_of(found),
        "selected": selected if selected in names else 0,
        "described": sum(bool(column.definition) for column in columns),
        "supertype": queries.supertype_of(found, refers),
        "with_defaults": any(one.default is not None or one.identity or one.generated for one in columns),
    }
    return render(request, "modeling/table.html", context | _table_margin(found))


@require_GET
@in_area(Role.READER)
def column_margin(request: AreaRequest, pk: int) -> HttpResponse:
    """What belongs to a column: facts, words, where they come from, history."""
    return render(request, "modeling/_column_margin.html", _column_margin(_column(request, pk)))


@require_GET
@in_area(Role.READER)
def table_margin(request: AreaRequest, pk: int) -> HttpResponse:
    """What belongs to a table."""
    return render(request, "modeling/_table_margin.html", _table_margin(_table(request, pk)))


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def edit(request: AreaRequest, target: str, pk: int, field: str) -> HttpResponse:
    """The form for one word in the margin; posting it saves a change set, or shows the conflict."""
    item: StoredColumn | StoredTable = _column(request, pk) if target == "column" else _table(request, pk)
    sent = request.POST if request.method == "POST" else request.GET
    only_here = sent.get("only_here") == "1"
    place = editing.place_of(item, only_here=only_here)
    context: dict[str, Any] = {
        "item": item,
        "target": target,
        "field": field,
        "label": editing.FIELDS[field],
        "limit": editing.LIMITS[field],
        "only_here": only_here,
        "shared": _shared_with(item),
        "margin_url": _margin_url(request, target, pk),
    }
    kept = StoredColumn if place.target == "column" else StoredTable
    if request.method == "GET":
        current = getattr(kept.objects.get(pk=place.object_id), field)
        value = sent.get("value") or current
        context |= {"seen": current, "value": value, "unsaved": "seen" in sent and value != current}
        return render(request, "modeling/_edit.html", context)
    try:
        editing.edit(
            area=request.area,
            person=request.user,
            place=place,
            field=field,
            seen=sent.get("seen", ""),
            value=sent.get("value", ""),
        )
    except StaleEditError as error:
        context |= {"conflict": error, "seen": error.theirs, "value": error.yours}
        return _form_again(request, context, 409)
    except EditError as error:
        context |= {"error": error, "seen": sent.get("seen", ""), "value": sent.get("value", "")}
        return _form_again(request, context, 422)
    margin = column_margin if target == "column" else table_margin
    response = _as_get(request, margin, pk)
    return trigger_client_event(response, "rows-changed", {"value": pk})


def _form_again(request: AreaRequest, context: dict[str, Any], status: int) -> HttpResponse:
    """Show the form again where it stood, not over the whole margin."""
    response = render(request, "modeling/_edit.html", context, status=status)
    return reswap(retarget(response, f"#edit-{context['field']}"), "innerHTML")


def _page_number(request: AreaRequest) -> int:
    return min(max(1, parse_int(request.GET.get("page"), 1)), _LAST_PAGE)


def _model(request: AreaRequest, pk: int) -> StoredModel:
    return get_object_or_404(StoredModel.objects.select_related("logical"), pk=pk, area=request.area)


def _column(request: AreaRequest, pk: int) -> StoredColumn:
    columns = StoredColumn.objects.select_related("table__model", "table__entity", "attribute__table__model")
    return get_object_or_404(columns, pk=pk, table__model__area=request.area)


def _table(request: AreaRequest, pk: int) -> StoredTable:
    tables = StoredTable.objects.select_related("model", "entity__model")
    return get_object_or_404(tables, pk=pk, model__area=request.area)


def _as_get(request: AreaRequest, view: Any, pk: int) -> HttpResponse:
    request.method = "GET"
    response: HttpResponse = view(request, request.area.slug, pk)
    return response


def _margin_url(request: AreaRequest, target: str, pk: int) -> str:
    return reverse(f"modeling:{target}-margin", args=[request.area.slug, pk])


def _shared_with(item: StoredColumn | StoredTable) -> int:
    """Count the places that an edit above item reaches."""
    if isinstance(item, StoredColumn):
        return StoredColumn.objects.filter(attribute_id=item.attribute_id).count() if item.attribute_id else 0
    return StoredTable.objects.filter(entity_id=item.entity_id).count() if item.entity_id else 0


def _column_margin(column: StoredColumn) -> dict[str, Any]:
    shown = DescribedColumn.objects.filter(pk=column.pk).first()
    places = [editing.Place("column", column.pk)]
    if column.attribute_id:
        places.append(editing.Place("column", column.attribute_id))
    relations = queries.references(column.table)
    return {
        "column": column,
        "shown": shown,
        "refers": [r for r in relations[0] if column.pk in r.relationship.column_ids],
        "history": editing.history(
            places,
            model_id=column.table.model_id,
            labels=[
                f"{table}.{name}"
                for table in _names(column.table)
                for name in (column.name, column.source_name or column.name)
            ],
        ),
    }


def _table_margin(table: StoredTable) -> dict[str, Any]:
    places = [editing.Place("table", table.pk)]
    if table.entity_id:
        places.append(editing.Place("table", table.entity_id))
    return {
        "table": table,
        "business_name": table.business_name or (table.entity.business_name if table.entity else ""),
        "definition": table.definition or (table.entity.definition if table.entity else ""),
        "history": editing.history(places, model_id=table.model_id, labels=_names(table)),
    }


def _names(table: StoredTable) -> list[str]:
    """Return the full names of a table, here and in its source."""
    prefix = f"{table.schema}." if table.schema else ""
    return [f"{prefix}{name}" for name in dict.fromkeys((table.name, table.source_name or table.name))]
