"""Comparisons of a model: started, decided difference by difference, taken into the model, reported."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Count, Exists, OuterRef, Q, QuerySet
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building.copying import model_of_file
from indexa.core import platforms
from indexa.core.building.parts import BuildError
from indexa.core.change.script import RISKS
from indexa.core.compare import reporting
from indexa.core.compare.ignoring import IGNORABLE
from indexa.core.ddl.targets import TARGETS
from indexa.core.model import Model
from indexa.core.render.differences import as_xlsx
from indexa.core.scripts.reader import ScriptFile, read_scripts
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.reconcile import comparing, scripts
from indexa.reconcile.bringing import take_into_model
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ComparedDifference, IgnoreSettings, ModelComparison, ModelVersion
from indexa.reconcile.other_sides import OtherSide, of_content, other_side
from indexa.sources.models import Intake, Source
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int

_ROWS_A_PAGE = 200
_LARGEST_SCRIPT = 5_000_000
_FORMS: dict[str, tuple[Any, str]] = {
    "xlsx": (as_xlsx, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
    "md": (reporting.as_markdown, "text/markdown; charset=utf-8"),
    "json": (reporting.as_json, "application/json"),
}
_KINDS = ("new", "changed", "gone", "renamed", "moved")
_SIDES = {"model": "changed in the model", "other": "changed on the other side", "both": "changed on both"}


@require_GET
@in_area(Role.READER)
def comparison_list(request: AreaRequest) -> HttpResponse:
    """All comparisons of the area, and a form that starts one."""
    found = ModelComparison.objects.filter(area=request.area).select_related("model", "by")
    counted = found.annotate(
        count=Count("differences"), later=Count("differences", filter=Q(differences__decision="later"))
    )
    was_read = Exists(Intake.objects.filter(source=OuterRef("pk")))
    sources = (
        Source.objects.filter(area=request.area).annotate(was_read=was_read).filter(Q(was_read=True) | Q(inventory=[]))
    )
    sourced = [one.model_id for one in sources if one.model_id]
    remembered = IgnoreSettings.objects.filter(area=request.area).first()
    context = {
        "page": Paginator(counted.order_by("-pk"), 30).get_page(request.GET.get("page")),
        "models": StoredModel.objects.filter(area=request.area).order_by("layer", "name"),
        "sources": sources.order_by("name"),
        "versions": ModelVersion.objects.filter(model__area=request.area)
        .select_related("model")
        .order_by("model__name", "-number"),
        "sourced": set(sourced),
        "chosen": parse_int(request.GET.get("model")) or next(iter(sourced), 0),
        "ignorable": IGNORABLE,
        "remembered": remembered.kinds if remembered else [],
    }
    return render(request, "reconcile/comparisons.html", context)


@require_POST
@in_area(Role.STEWARD)
def start(request: AreaRequest) -> HttpResponse:
    """Compare a model with a source, another model, a version, or a file; large ones in a job."""
    model = get_object_or_404(StoredModel, pk=parse_int(request.POST.get("model")), area=request.area)
    file, ignore = request.FILES.get("file"), request.POST.getlist("ignore")
    if "remember" in request.POST:
        kinds = [one for one in ignore if one in IGNORABLE]
        IgnoreSettings.objects.update_or_create(area=request.area, defaults={"kinds": kinds})
    try:
        named = request.POST.get("other", "")
        other = _of_file(file, model) if file is not None else other_side(request.area, model, named)
    except (ReconciliationError, BuildError) as error:
        messages.error(request, str(error))
        return redirect(f"{reverse('reconcile:comparisons', args=[request.area.slug])}?model={model.pk}")
    made = comparing.start(area=request.area, person=request.user, model=model, other=other, ignore=ignore)
    return _shown(request, made)


def _shown(request: AreaRequest, made: ModelComparison) -> HttpResponse:
    """Lead to a comparison, or to the job that fills it."""
    if made.filled:
        return redirect("reconcile:comparison", request.area.slug, made.pk)
    job = jobs.start(
        area=request.area, kind="compare", title=f"Comparing {made.model.name} with {made.other_label}"[:200], person=request.user,
        comparison=made.pk,
    )  # fmt: skip
    return redirect("jobs:page", request.area.slug, job.pk)


def _of_file(file: Any, model: StoredModel) -> OtherSide:
    return of_content(_content(file, model), file.name or "a file")


def _content(file: Any, model: StoredModel) -> Model:
    """Return the model that an uploaded model file or script holds."""
    if (file.name or "").lower().endswith(".json"):
        return model_of_file(file)
    if (file.size or 0) > _LARGEST_SCRIPT:
        raise ReconciliationError(
            f"The script is larger than {_LARGEST_SCRIPT // 1_000_000} MB. Read it as a source instead."
        )
    if model.platform not in platforms.names():
        raise ReconciliationError("A script is compared with a physical model.")
    found, _ = read_scripts(
        [ScriptFile(file.name, file.read())], platforms.get(model.platform).dialect, _quiet, "script"
    )
    if not found.tables:
        raise ReconciliationError(
            f"There is no table in {file.name}. Is it a script of {platforms.label_of(model.platform)}?"
        )
    found.platform = model.platform
    return found


def _quiet(*_: object) -> None:
    """Take no notice of progress."""


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """What differs, both sides beside each other, under a filter."""
    made = _made(request, pk)
    if not made.filled:
        return _filling(request, made)
    given = _given(request.GET)
    found = _narrowed(made, given).order_by("table", "schema", "number").select_related("decided_by")
    pages = Paginator(found, _ROWS_A_PAGE).get_page(request.GET.get("page"))
    context = _head(request, made) | {
        "given": given, "page": pages, "kept": urlencode({name: value for name, value in given.items() if value}),
        "ignorable": IGNORABLE,
        "ignored": [IGNORABLE[one] for one in made.ignore if one in IGNORABLE],
        "reloads": True,
    }  # fmt: skip
    return render(request, "reconcile/comparison.html", context)


def _filling(request: AreaRequest, made: ModelComparison) -> HttpResponse:
    """Lead to the job that fills a comparison; one whose job ended without it is filled by another."""
    job = Job.objects.filter(area=request.area, kind="compare", arguments__comparison=made.pk).order_by("-pk").first()
    if job is None or job.is_over:
        return _shown(request, made) if request.role >= Role.STEWARD else redirect("jobs:list", request.area.slug)
    return redirect("jobs:page", request.area.slug, job.pk)


def _given(data: Any) -> dict[str, str]:
    return {name: str(data.get(name, "")).strip()[:200] for name in ("q", "kind", "side", "risk", "decision", "table")}


def _narrowed(made: ModelComparison, given: dict[str, str]) -> QuerySet[ComparedDifference]:
    found = made.differences.all()
    if given["kind"] in _KINDS:
        found = found.filter(kind=given["kind"])
    if given["side"] in _SIDES:
        found = found.filter(side=given["side"])
    if given["risk"] in RISKS:
        found = found.filter(risk=given["risk"])
    if given["decision"] in ("keep", "take", "later"):
        found = found.filter(decision=given["decision"])
    if given["q"]:
        found = found.filter(
            Q(table__icontains=given["q"]) | Q(name__icontains=given["q"]) | Q(schema__icontains=given["q"])
        )
    if given["table"]:
        schema, _, table = given["table"].rpartition(".")
        found = found.filter(schema=schema, table=table)
    return found


def _head(request: AreaRequest, made: ModelComparison) -> dict[str, Any]:
    counts = comparing.counts_of(made)
    script = made.scripts.select_related("by", "signed_by").first()
    return {
        "c": made,
        "counts": counts,
        "decisions": [
            (value, label, counts["decisions"][value])
            for value, label in (("later", "To decide"), ("keep", "Keep model"), ("take", f"Take {_other_word(made)}"))
        ],
        "sides": [(side, label, counts["sides"][side]) for side, label in _SIDES.items() if counts["sides"][side]],
        "risky": [(risk, counts["risks"][risk]) for risk in RISKS if risk != "safe" and counts["risks"][risk]],
        "kinds": [(kind, counts["kinds"][kind]) for kind in _KINDS if counts["kinds"][kind]],
        "script": script,
        "risks": scripts.risks_of(script) if script else [],
        "bar": scripts.bar_of(script) if script else [],
        "is_current": bool(script and scripts.is_current(script)),
        "can_script": made.model.layer == "physical" and made.model.platform in TARGETS,
        "other_word": _other_word(made),
    }


def _other_word(made: ModelComparison) -> str:
    return "source" if made.source_id else "other"


@require_GET
@in_area(Role.READER)
def margin(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """One difference whole: both values, why, and the steps of the script that settle it."""
    made = _made(request, pk)
    row = get_object_or_404(made.differences, number=number)
    context = _head(request, made) | {
        "d": row,
        "steps": _steps_for(made, row),
        "partners": comparing.partners(row),
        "needed": made.differences.filter(identity__in=row.requires),
    }
    return render(request, "reconcile/_compared_margin.html", context)


def _steps_for(made: ModelComparison, row: ComparedDifference) -> list[dict[str, Any]]:
    script = made.scripts.first()
    return [step for step in script.steps if row.identity in step["differences"]] if script else []


@require_POST
@in_area(Role.STEWARD)
def decide(request: AreaRequest, pk: int) -> HttpResponse:
    """Decide one difference, those of a table, or all under a filter."""
    made = _made(request, pk)
    decision, number = request.POST.get("decision", ""), parse_int(request.POST.get("number"), -1)
    given = _given(request.POST)
    numbers = [number] if number >= 0 else list(_narrowed(made, given).values_list("number", flat=True))
    failure, count = "", 0
    try:
        count = comparing.decide(made=made, person=request.user, numbers=numbers, decision=decision)
    except ReconciliationError as error:
        failure = str(error)
    if number < 0:
        messages.success(request, failure or f"{count:,} decision{'' if count == 1 else 's'} changed.")
        kept = urlencode({name: value for name, value in given.items() if value and name != "table"})
        return redirect(f"{reverse('reconcile:comparison', args=[request.area.slug, pk])}?{kept}")
    row = get_object_or_404(made.differences.select_related("decided_by"), number=number)
    context = _head(request, made) | {"d": row, "failure": failure, "fragment": True}
    response = render(request, "reconcile/_compared.html", context, status=422 if failure else 200)
    if count > 1:
        response["HX-Refresh"] = "true"  # what it takes along stands elsewhere on the page
    return response


@require_POST
@in_area(Role.STEWARD)
def settle_rename(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """Say that what seems renamed is two things, or (`with`) that something gone and something new are one."""
    made = _made(request, pk)
    other = parse_int(request.POST.get("with"), -1)
    try:
        if other < 0:
            comparing.reject_rename(made, number)
        else:
            comparing.pair_rename(made, number, other)
            messages.success(request, "Matched: it counts as renamed now.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("reconcile:comparison", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def again(request: AreaRequest, pk: int) -> HttpResponse:
    """Compare the same two sides as they are now; what was decided about the same differences stays."""
    made = _made(request, pk)
    try:
        comparing.compare_again(made)
        if made.filled:
            messages.success(request, "Compared again.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return _shown(request, made)


@require_POST
@in_area(Role.STEWARD)
def ignore(request: AreaRequest, pk: int) -> HttpResponse:
    """Change what this comparison ignores; what was decided about the rest stays."""
    made = _made(request, pk)
    comparing.ignore(made, request.POST.getlist("ignore"))
    return _shown(request, made)


@require_POST
@in_area(Role.STEWARD)
def take(request: AreaRequest, pk: int) -> HttpResponse:
    """Take what is decided so into the model, as one change set."""
    made = _made(request, pk)
    try:
        count = take_into_model(area=request.area, person=request.user, made=made)
        comparing.compare_again(made)
        messages.success(
            request, f"{count:,} difference{'' if count == 1 else 's'} taken into {made.model.name}. Press u to undo."
        )
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("reconcile:comparison", request.area.slug, pk)


@require_GET
@in_area(Role.READER)
def report(request: AreaRequest, pk: int, form: str) -> HttpResponse:
    """All differences with their decisions, as a page to print, a spreadsheet, Markdown or JSON."""
    made = _made(request, pk)
    sides = _SIDES | {"": ""}
    rows = [
        reporting.Reported(difference=one, side=sides[row.side], decision=row.get_decision_display().lower())
        for one, row in comparing.core_rows(made)
    ]
    if form == "html":
        rows.sort(key=lambda row: row.difference.full_table)
        counts = reporting.counts_in_words([row.difference for row in rows])
        return render(request, "reconcile/report.html", {"c": made, "rows": rows, "counts": counts})
    if form not in _FORMS:
        raise Http404
    write, kind = _FORMS[form]
    response = HttpResponse(write(made.other_label, made.model.name, rows), content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="differences-{made.pk}.{form}"'
    return response


def _made(request: AreaRequest, pk: int) -> ModelComparison:
    found = ModelComparison.objects.select_related("model", "other_model", "source", "by", "mine", "other", "base")
    return get_object_or_404(found.defer("mine__content", "other__content", "base__content"), pk=pk, area=request.area)
