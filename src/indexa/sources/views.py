"""Pages of the place Sources."""

from __future__ import annotations

import re

from django.contrib import messages
from django.db.models import Count, Prefetch
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.adapters import code_tables, profiling
from indexa.adapters.errors import SourceError
from indexa.adapters.live import OTHER
from indexa.areas.models import Person, Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core import platforms
from indexa.core.intake.choice import OBJECT_KINDS, Choice, SchemaCount, patterns
from indexa.core.intake.receipt import in_order
from indexa.jobs.models import Job
from indexa.sources import presets, scanning, schedules, services
from indexa.sources.forms import FORMS, ChoiceForm, KitDownloadForm, NamedSourceForm
from indexa.sources.models import Intake, Preset, Schedule, Source

_SHOWN_NAMES = 300


@require_GET
@in_area(Role.READER)
def source_list(request: AreaRequest) -> HttpResponse:
    """All sources with their latest intake."""
    latest = Prefetch("intakes", Intake.objects.order_by("source_id", "-at").distinct("source_id"), to_attr="readings")
    sources = Source.objects.filter(area=request.area).select_related("model").prefetch_related(latest, "files")
    return render(request, "sources/list.html", {"sources": sources})


@require_GET
@in_area(Role.STEWARD)
def source_new(request: AreaRequest) -> HttpResponse:
    """What is at hand: a connection, a script, the result of a query, a file."""
    return render(request, "sources/new.html", {"kit_form": KitDownloadForm(), "labels": _labels()})


def _labels() -> list[str]:
    return sorted((platforms.get(name).label for name in platforms.names()), key=str.lower)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def source_form(request: AreaRequest, kind: str = "", pk: int | None = None) -> HttpResponse:
    """Enter a source, or change one. It is tried before it is saved."""
    source = get_object_or_404(Source, pk=pk, area=request.area) if pk else None
    kind = source.kind if source else kind
    if kind not in FORMS:
        raise Http404("There is no such kind of source.")
    form = FORMS[kind](request.POST or None, request.FILES or None, instance=source, area=request.area)
    context: dict[str, object] = {"form": form, "source": source, "kind": kind}
    if request.method == "POST" and form.is_valid():
        try:
            saved = _try_and_save(form, kind, request.user)
        except SourceError as error:
            context["failure"] = error
        else:
            message = {
                "live": "The connection works; the source is saved.",
                "file": "The file opens; the source is saved.",
            }
            messages.success(request, message.get(kind, f"The source is saved. It is read as {saved.platform_label}."))
            return redirect("sources:page", request.area.slug, saved.pk)
    if kind == Source.Kind.KIT:
        context["kit_form"] = KitDownloadForm()
    return render(request, "sources/form.html", context, status=422 if request.method == "POST" else 200)


def _try_and_save(form: NamedSourceForm, kind: str, person: Person) -> Source:
    entered: Source = form.instance
    entered.kind = kind
    if entered.is_upload:
        entered.platform = form.cleaned_data["platform"]
        return services.save_upload(entered, form.cleaned_data.get("uploads") or [], person)
    for name in ("platform", "host", "port", "database", "user", "tls"):
        if name in form.cleaned_data:
            setattr(entered, name, form.cleaned_data[name])
    if form.cleaned_data.get("no_password"):
        entered.sealed_password = ""
    password = form.cleaned_data.get("password") or ""
    scanning.probe(entered, password or None)
    return services.save(entered, password=password)


@require_GET
@in_area(Role.READER)
def source_page(request: AreaRequest, pk: int) -> HttpResponse:
    """One source: where it is, what was read from it."""
    source = get_object_or_404(Source.objects.select_related("model"), pk=pk, area=request.area)
    running = Job.objects.filter(
        area=request.area, kind="intake", arguments__source=source.pk, state__in=["waiting", "running"]
    ).first()
    intakes = source.intakes.select_related("person", "reconciliation").annotate(
        differences=Count("reconciliation__differences")
    )
    schedule = Schedule.objects.filter(source=source).select_related("last_job").first()
    cannot = (
        platforms.get(source.platform).cannot if source.platform != OTHER and source.kind in ("live", "file") else ()
    )
    context = {
        "source": source, "intakes": intakes.order_by("-at")[:20], "job": running, "cannot": cannot,
        "schedule": schedule,
        "schedule_words": schedules.in_words(schedule.cron) if schedule else "",
        "watching": set(schedule.watchers.values_list("pk", flat=True)) if schedule else set(),
        "people": Person.objects.filter(memberships__area=request.area).exclude(email="").order_by("username"),
        "can_ask_rows": source.platform in profiling.PLATFORMS,
        "can_read_codes": source.platform in code_tables.PLATFORMS and source.model_id is not None,
        "may_allow_codes": request.role >= Role.ADMINISTRATOR,
    }  # fmt: skip
    return render(request, "sources/page.html", context)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def choose(request: AreaRequest, pk: int) -> HttpResponse:
    """The fragment that says what the source holds and offers what to read; posting it starts the reading."""
    source = get_object_or_404(Source.objects.select_related("model", "area"), pk=pk, area=request.area)
    held = scanning.remembered(source)
    if held is None or (request.method == "GET" and not source.is_upload):
        if running := scanning.running_scan(source):
            return render(request, "sources/_scanning.html", {"source": source, "job": running})
        if source.is_upload:
            if failed := scanning.failed_scan(source):
                return render(
                    request, "sources/_failure.html", {"failure": failed_scan_error(failed), "source": source}
                )
            return render(
                request, "sources/_scanning.html", {"source": source, "job": scanning.start_scan(source, request.user)}
            )
        try:
            held = scanning.probe(source)
        except SourceError as error:
            return render(request, "sources/_failure.html", {"failure": error, "source": source})
    found = held.schemas
    wanted = request.GET.get("preset", "")
    preset = (
        Preset.objects.filter(area=request.area, pk=int(wanted)).first()
        if wanted.isdigit() and len(wanted) < 10
        else None
    )
    form = ChoiceForm(request.POST or None, source=source, found=found, initial=_initial(source, found, preset))
    if request.method == "POST" and form.is_valid():
        job = services.start_intake(
            source=source,
            schemas=form.cleaned_data["schemas"],
            kinds=form.cleaned_data["kinds"],
            include=form.cleaned_data["include"],
            exclude=form.cleaned_data["exclude"],
            logical=form.cleaned_data.get("logical"),
            person=request.user,
        )
        return redirect("jobs:page", request.area.slug, job.pk)
    kinds = _kinds_of(source)
    context = {
        "source": source,
        "form": form,
        "found": found,
        "limits": held.limits,
        "all_chosen": {schema.schema for schema in found} <= set(form["schemas"].value() or []),
        "rows": _rows(found, set(form["schemas"].value() or []), kinds),
        "kinds": kinds,
        "chosen_kinds": form["kinds"].value() or [],
        "totals": {kind: sum(schema.counts.get(kind, 0) for schema in found) for kind in kinds},
        "presets": Preset.objects.filter(area=request.area),
        "preset": preset,
    } | _taken(
        source,
        form["schemas"].value() or [],
        form["kinds"].value() or [],
        form["include"].value() or "",
        form["exclude"].value() or "",
    )
    # A refused form is shown on a page of its own: it was posted from the source's page.
    template = "sources/choose.html" if request.method == "POST" else "sources/_choose.html"
    return render(request, template, context, status=422 if request.method == "POST" else 200)


def failed_scan_error(job: Job) -> SourceError:
    """Return why a scan failed, as an error of its source."""
    return SourceError("scan-failed", job.reason or "The scan was cancelled.", job.hint)


@require_POST
@in_area(Role.STEWARD)
def scan(request: AreaRequest, pk: int) -> HttpResponse:
    """Scan a source in the background, however long it takes."""
    source = get_object_or_404(Source.objects.select_related("area"), pk=pk, area=request.area)
    scanning.start_scan(source, request.user)
    return redirect("sources:page", request.area.slug, source.pk)


def _initial(source: Source, found: list[SchemaCount], preset: Preset | None) -> dict[str, object]:
    kinds = list(_kinds_of(source))
    there = [schema.schema for schema in found if any(schema.counts.values())]
    if preset:
        wanted = Choice(include=tuple(f"{schema}.*" for schema in preset.schemas))
        schemas = [schema for schema in there if not preset.schemas or wanted.takes_name(schema, "x")]
        return {"schemas": schemas, "kinds": preset.kinds, "include": preset.include, "exclude": preset.exclude}
    return {
        "schemas": source.schemas or there,
        "kinds": source.kinds or kinds,
        "include": source.include,
        "exclude": source.exclude,
    }


def _kinds_of(source: Source) -> dict[str, str]:
    offered = (
        ("tables", "views")
        if source.platform == OTHER or source.kind == Source.Kind.KIT
        else platforms.get(source.platform).kinds
    )
    return {kind: OBJECT_KINDS[kind] for kind in OBJECT_KINDS if kind in offered}


def _rows(found: list[SchemaCount], chosen: set[str], kinds: dict[str, str]) -> list[dict[str, object]]:
    return [
        {
            "schema": schema.schema,
            "usable": schema.usable,
            "chosen": schema.schema in chosen,
            "counts": [schema.counts.get(kind, 0) for kind in kinds],
            "partitions": schema.counts.get("partitions", 0),
        }
        for schema in found
    ]


@require_POST  # a great many schemas do not fit into an address
@in_area(Role.STEWARD)
def chosen_names(request: AreaRequest, pk: int) -> HttpResponse:
    """The fragment that counts and lists what the settings in the form take."""
    source = get_object_or_404(Source, pk=pk, area=request.area)
    taken = _taken(
        source,
        request.POST.getlist("schemas"),
        request.POST.getlist("kinds"),
        request.POST.get("include", ""),
        request.POST.get("exclude", ""),
    )
    return render(request, "sources/_names.html", {"source": source} | taken)


def _taken(source: Source, schemas: list[str], kinds: list[str], include: str, exclude: str) -> dict[str, object]:
    choice = Choice(tuple(schemas) or ("",), frozenset(kinds), patterns(include[:4000]), patterns(exclude[:4000]))
    names = services.chosen_names(source, choice)
    return {
        "known": source.inventory is not None,
        "names": names[:_SHOWN_NAMES],
        "more": max(0, len(names) - _SHOWN_NAMES),
        "tables": sum(not view for _, _, view in names),
        "views": sum(view for _, _, view in names),
    }


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
    services.remove(source)
    messages.success(request, f"The source “{source.name}” is removed. Its model is kept.")
    return redirect("sources:list", request.area.slug)


@require_GET
@in_area(Role.STEWARD)
def kit(request: AreaRequest) -> HttpResponse:
    """Download a field kit with its settings filled in."""
    form = KitDownloadForm(request.GET)
    if not form.is_valid():
        return render(request, "sources/new.html", {"kit_form": form, "labels": _labels()}, status=422)
    platform = platforms.get(form.cleaned_data["platform"])
    settings = iter((form.cleaned_data["schema"], form.cleaned_data["views"]))
    text = re.sub(r"'[^']*'(?=[^\n]*-- SETTING \d)", lambda _: f"'{next(settings)}'", platform.kit())
    response = HttpResponse(text, content_type="application/sql; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="field-kit-{platform.name}.sql"'
    return response


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def preset_list(request: AreaRequest) -> HttpResponse:
    """The presets of the area; posting a file takes in those in it."""
    failure = ""
    if request.method == "POST":
        file = request.FILES.get("file")
        try:
            if file is None or file.size is None or file.size > presets.LARGEST_FILE:
                raise presets.PresetError("Choose a file of presets, such as this page exports.")
            taken = presets.take_in(request.area, request.user, file.read())
        except presets.PresetError as error:
            failure = str(error)
        else:
            messages.success(request, f"{len(taken)} preset{'' if len(taken) == 1 else 's'} imported.")
            return redirect("sources:presets", request.area.slug)
    listed = Preset.objects.filter(area=request.area).select_related("made_by")
    context = {"presets": listed, "failure": failure, "kinds": OBJECT_KINDS}
    return render(request, "sources/presets.html", context, status=422 if failure else 200)


@require_POST
@in_area(Role.STEWARD)
def preset_save(request: AreaRequest, pk: int) -> HttpResponse:
    """Save the settings in the form of a source as a preset."""
    source = get_object_or_404(Source, pk=pk, area=request.area)
    name = request.POST.get("preset_name", "").strip()[:80]
    kinds = [kind for kind in request.POST.getlist("kinds") if kind in OBJECT_KINDS]
    if not name or not kinds:
        messages.error(request, "A preset needs a name, and at least one kind of object. Nothing was saved.")
    else:
        schemas = request.POST.getlist("schemas")
        every = {schema for schema, _, _ in source.inventory or []} <= set(schemas)
        record = presets.PresetRecord(
            name,
            kinds,
            [] if every else schemas,
            request.POST.get("include", "")[:4000],
            request.POST.get("exclude", "")[:4000],
        )
        presets.save(request.area, request.user, record)
        messages.success(request, f"The preset “{name}” is saved; the area's sources offer it.")
    return redirect("sources:page", request.area.slug, source.pk)


@require_GET
@in_area(Role.STEWARD)
def preset_export(request: AreaRequest) -> HttpResponse:
    """Download the presets of the area as a file."""
    response = HttpResponse(
        presets.export(list(Preset.objects.filter(area=request.area))), content_type="application/json"
    )
    response["Content-Disposition"] = f'attachment; filename="presets-{slugify(request.area.name)}.json"'
    return response


@require_POST
@in_area(Role.STEWARD)
def preset_remove(request: AreaRequest, pk: int) -> HttpResponse:
    """Remove a preset; what was read with it stays."""
    preset = get_object_or_404(Preset, pk=pk, area=request.area)
    preset.delete()
    messages.success(request, f"The preset “{preset.name}” is removed.")
    return redirect("sources:presets", request.area.slug)
