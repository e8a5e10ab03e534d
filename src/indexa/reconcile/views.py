"""The page of a later reading: what is otherwise, conflicts with both sides, decisions, and taking them into the model."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Case, Count, IntegerField, Q, QuerySet, Value, When
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.changes import undoing
from indexa.jobs import services as jobs
from indexa.reconcile import services as reconciliations
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import FoundDifference, Reconciliation
from indexa.store.errors import EditError
from indexa.ui.parameters import parse_int

_ROWS_A_PAGE = 200
_PARTNERS = 200
"""How many tables or columns are offered to match something with."""
_KINDS = ("new", "changed", "gone", "renamed", "moved")
_SECTION = Case(
    When(what__in=["table", "view"], kind="new", then=Value(1)),
    When(what__in=["table", "view"], kind="gone", then=Value(2)),
    When(table="", then=Value(4)),
    default=Value(3),
    output_field=IntegerField(),
)
"""New tables, gone ones, what differs within tables, and what belongs to none."""


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """Everything that a later reading found otherwise, under a filter."""
    reconciliation = _reconciliation(request, pk)
    given = {name: request.GET.get(name, "").strip()[:200] for name in ("q", "kind", "table")}
    found = _narrowed(reconciliation, given).annotate(section=_SECTION).order_by("section", "schema", "table", "number")
    pages = Paginator(found, _ROWS_A_PAGE).get_page(request.GET.get("page"))
    context = _head(reconciliation) | {
        "given": given, "page": pages, "kept": urlencode({name: value for name, value in given.items() if value}),
        "kinds": [(kind, count) for kind in _KINDS if (count := reconciliation.differences.filter(kind=kind).count())],
    }  # fmt: skip
    return render(request, "reconcile/page.html", context)


def _narrowed(reconciliation: Reconciliation, given: dict[str, str]) -> QuerySet[FoundDifference]:
    found = reconciliation.differences.all()
    if given["kind"] == "conflict":
        found = found.exclude(conflict="")
    elif given["kind"] in _KINDS:
        found = found.filter(kind=given["kind"])
    if given["q"]:
        found = found.filter(
            Q(table__icontains=given["q"]) | Q(name__icontains=given["q"]) | Q(schema__icontains=given["q"])
        )
    if given["table"]:
        schema, _, table = given["table"].rpartition(".")
        found = found.filter(schema=schema, table=table)
    return found


def _head(reconciliation: Reconciliation) -> dict[str, Any]:
    """Return what the page's head shows: counts of all, of what is taken, of conflicts that wait; one query."""
    waiting = ~Q(conflict="") & Q(decision="later")
    counts = reconciliation.differences.aggregate(
        all=Count("pk"), tables=Count("table", distinct=True, filter=~Q(table="")), taken=Count("pk", filter=Q(decision="take")),
        kept=Count("pk", filter=Q(decision="keep")), later=Count("pk", filter=Q(decision="later")),
        conflicts=Count("pk", filter=~Q(conflict="")), waiting=Count("pk", filter=waiting),
    )  # fmt: skip
    return {
        "r": reconciliation, "counts": counts, "is_open": reconciliation.state == Reconciliation.State.WAITING,
        "undone": bool(reconciliation.change_set and not reconciliation.change_set.in_force),
        "continuation": Reconciliation.objects.filter(continues=reconciliation, state="waiting").first(),
        "to_take": counts["taken"] + counts["kept"],
    }  # fmt: skip


@require_GET
@in_area(Role.READER)
def margin(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """One difference whole: both values, evidence, what it takes along."""
    reconciliation = _reconciliation(request, pk)
    row = get_object_or_404(reconciliation.differences, number=number)
    needed = reconciliation.differences.filter(identity__in=row.requires)
    context = {
        "r": reconciliation,
        "d": row,
        "needed": needed,
        "partners": reconciliations.partners(row)[:_PARTNERS],
        "is_open": reconciliation.state == Reconciliation.State.WAITING,
    }
    return render(request, "reconcile/_difference_margin.html", context)


@require_POST
@in_area(Role.STEWARD)
def decide(request: AreaRequest, pk: int) -> HttpResponse:
    """Decide one difference, those of a table, or all under a filter."""
    reconciliation = _reconciliation(request, pk)
    decision = request.POST.get("decision", "")
    number = parse_int(request.POST.get("number"), -1)
    if number >= 0:
        return _decide_one(request, reconciliation, number, decision)
    given = {name: request.POST.get(name, "") for name in ("q", "kind", "table")}
    # A conflict is decided by itself, where both sides are seen.
    numbers = _narrowed(reconciliation, given).filter(conflict="").values_list("number", flat=True)
    try:
        count = reconciliations.decide(
            area=request.area, reconciliation_id=pk, numbers=list(numbers), decision=decision
        )
        messages.success(request, f"{count:,} decision{'' if count == 1 else 's'} changed.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    kept = urlencode({name: value for name, value in given.items() if value and name != "table"})
    return redirect(f"{reverse('reconcile:page', args=[request.area.slug, pk])}?{kept}")


def _decide_one(request: AreaRequest, reconciliation: Reconciliation, number: int, decision: str) -> HttpResponse:
    failure, count = "", 0
    try:
        count = reconciliations.decide(
            area=request.area, reconciliation_id=reconciliation.pk, numbers=[number], decision=decision
        )
    except ReconciliationError as error:
        failure = str(error)
    row = get_object_or_404(reconciliation.differences, number=number)
    context = _head(reconciliation) | {"d": row, "failure": failure, "fragment": True}
    response = render(request, "reconcile/_difference.html", context, status=422 if failure else 200)
    if count > 1:
        response["HX-Refresh"] = "true"  # what it takes along stands elsewhere on the page
    return response


@require_POST
@in_area(Role.STEWARD)
def reject_rename(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """Say that what seems renamed is not."""
    try:
        reconciliations.reject_rename(area=request.area, reconciliation_id=pk, number=number)
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("reconcile:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def pair_rename(request: AreaRequest, pk: int, number: int) -> HttpResponse:
    """Say that something gone and something new are one thing that was renamed."""
    reconciliation = _reconciliation(request, pk)
    row = get_object_or_404(reconciliation.differences, number=number)
    other = parse_int(request.POST.get("with"), -1)
    gone, new = (number, other) if row.kind == "gone" else (other, number)
    try:
        reconciliations.pair_rename(area=request.area, reconciliation_id=pk, gone=gone, new=new)
        messages.success(request, "Matched: it counts as renamed now.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("reconcile:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def apply(request: AreaRequest, pk: int) -> HttpResponse:
    """Apply what is decided to the model; very much of it in the background."""
    reconciliation = _reconciliation(request, pk)
    if reconciliation.differences.exclude(decision="later").count() > undoing.LARGE:
        title = f"Applying a reading to {reconciliation.model.name}"
        job = jobs.start(area=request.area, kind="apply reading", title=title, person=request.user, reconciliation=pk)
        return redirect("jobs:page", request.area.slug, job.pk)
    try:
        done = reconciliations.apply(area=request.area, person=request.user, reconciliation_id=pk)
    except (ReconciliationError, EditError) as error:
        messages.error(request, str(error))
    else:
        left = f" {done.left:,} skipped for now: they stay on the desk." if done.left else ""
        messages.success(request, f"{done.taken:,} differences applied.{left} Press u to undo.")
    return redirect("reconcile:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def discard(request: AreaRequest, pk: int) -> HttpResponse:
    """Leave the model as it is."""
    reconciliation = _reconciliation(request, pk)
    try:
        reconciliations.discard(area=request.area, person=request.user, reconciliation_id=pk)
        messages.success(request, "Discarded. The model is as it was; the next reading finds these differences again.")
    except ReconciliationError as error:
        messages.error(request, str(error))
    return redirect("sources:page", request.area.slug, reconciliation.source_id)


def _reconciliation(request: AreaRequest, pk: int) -> Reconciliation:
    found = Reconciliation.objects.select_related(
        "source", "model", "intake__person", "decided_by", "change_set__undone_by"
    )
    return get_object_or_404(found, pk=pk, source__area=request.area)
