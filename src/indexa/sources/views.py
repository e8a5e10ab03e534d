"""Pages of the place Sources."""

from __future__ import annotations

from django.contrib import messages
from django.db.models import Prefetch
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.adapters.errors import SourceError
from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.intake.choice import OBJECT_KINDS, SchemaCount
from indexa.core.intake.receipt import in_order
from indexa.jobs.models import Job
from indexa.sources import services
from indexa.sources.forms import ChoiceForm, SourceForm
from indexa.sources.models import Intake, Source


@require_GET
@in_area(Role.READER)
def source_list(request: AreaRequest) -> HttpResponse:
    """All sources with their latest intake."""
    latest = Prefetch("intakes", Intake.objects.order_by("-at"), to_attr="readings")
    sources = Source.objects.filter(area=request.area).select_related("model").prefetch_related(latest)
    return render(request, "sources/list.html", {"sources": sources})


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def source_form(request: AreaRequest, pk: int | None = None) -> HttpResponse:
    """Enter a source, or change one. It is tried before it is saved."""
    source = get_object_or_404(Source, pk=pk, area=request.area) if pk else None
    form = SourceForm(request.POST or None, instance=source, area=request.area)
    context: dict[str, object] = {"form": form, "source": source}
    if request.method == "POST" and form.is_valid():
        entered, password = form.instance, form.cleaned_data["password"]
        for name in ("host", "port", "database", "user", "tls"):
            setattr(entered, name, form.cleaned_data[name])
        try:
            services.count_schemas(entered, password or None)
        except SourceError as error:
            context["failure"] = error
        else:
            saved = services.save(entered, password=password)
            messages.success(request, "The connection works; the source is saved.")
            return redirect("sources:page", request.area.slug, saved.pk)
    status = 422 if request.method == "POST" else 200
    return render(request, "sources/form.html", context, status=status)


@require_GET
@in_area(Role.READER)
def source_page(request: AreaRequest, pk: int) -> HttpResponse:
    """One source: where it is, what was read from it."""
    source = get_object_or_404(Source.objects.select_related("model"), pk=pk, area=request.area)
    running = Job.objects.filter(
        area=request.area, kind="intake", arguments__source=source.pk, state__in=["waiting", "running"]
    ).first()
    intakes = source.intakes.select_related("person")[:20]
    return render(request, "sources/page.html", {"source": source, "intakes": intakes, "job": running})


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def choose(request: AreaRequest, pk: int) -> HttpResponse:
    """The fragment that looks into the source and offers what to read; posting it starts the reading."""
    source = get_object_or_404(Source.objects.select_related("model"), pk=pk, area=request.area)
    try:
        found = services.count_schemas(source)
    except SourceError as error:
        return render(request, "sources/_failure.html", {"failure": error, "source": source})
    chosen = source.schemas or [schema.schema for schema in found if any(schema.counts.values())]
    initial = {"schemas": chosen, "kinds": source.kinds or list(OBJECT_KINDS)}
    form = ChoiceForm(request.POST or None, source=source, found=found, initial=initial)
    if request.method == "POST" and form.is_valid():
        job = services.start_intake(
            source=source,
            schemas=form.cleaned_data["schemas"],
            kinds=form.cleaned_data["kinds"],
            logical=form.cleaned_data.get("logical"),
            person=request.user,
        )
        return redirect("jobs:page", request.area.slug, job.pk)
    context = {
        "source": source,
        "form": form,
        "rows": _rows(found, set(form["schemas"].value() or [])),
        "kinds": OBJECT_KINDS,
        "chosen_kinds": form["kinds"].value() or [],
        "totals": {kind: sum(schema.counts.get(kind, 0) for schema in found) for kind in OBJECT_KINDS},
    }
    # A refused form is shown on a page of its own: it was posted from the source's page.
    template = "sources/choose.html" if request.method == "POST" else "sources/_choose.html"
    return render(request, template, context, status=422 if request.method == "POST" else 200)


def _rows(found: list[SchemaCount], chosen: set[str]) -> list[dict[str, object]]:
    return [
        {
            "schema": schema.schema,
            "usable": schema.usable,
            "chosen": schema.schema in chosen,
            "counts": [schema.counts.get(kind, 0) for kind in OBJECT_KINDS],
            "partitions": schema.counts.get("partitions", 0),
        }
        for schema in found
    ]


@require_GET
@in_area(Role.READER)
def receipt(request: AreaRequest, pk: int) -> HttpResponse:
    """What one intake brought, adapted and left out."""
    intakes = Intake.objects.select_related("source", "model", "person")
    intake = get_object_or_404(intakes, pk=pk, source__area=request.area)
    notes = intake.receipt["notes"]
    context = {
        "intake": intake,
        "arrived": in_order(intake.receipt["arrived"]),
        "adapted": [note for note in notes if note["fate"] == "adapted"],
        "left_out": [note for note in notes if note["fate"] == "left out"],
    }
    return render(request, "sources/receipt.html", context)


@require_POST
@in_area(Role.STEWARD)
def remove(request: AreaRequest, pk: int) -> HttpResponse:
    """Remove a source; its model and their words stay."""
    source = get_object_or_404(Source, pk=pk, area=request.area)
    source.delete()
    messages.success(request, f"The source “{source.name}” is removed. Its model is kept.")
    return redirect("sources:list", request.area.slug)
