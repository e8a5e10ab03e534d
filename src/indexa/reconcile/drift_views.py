"""The drift of a source: what differs, what is known already, its history, its rule, and its feed."""

from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.core.paginator import Paginator
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.feedgenerator import Atom1Feed
from django.views.decorators.http import require_GET, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.compare.ignoring import IGNORABLE
from indexa.reconcile import drifting
from indexa.reconcile.models import DriftPoint, DriftWatch
from indexa.sources.models import Schedule, Source
from indexa.ui.charts import Chart, Value, line_chart
from indexa.ui.parameters import parse_int

_ROWS_A_PAGE = 200
_POINTS = 90
_ENTRIES = 50


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """What differs between a watched source and its model, open or accepted."""
    source = get_object_or_404(Source.objects.select_related("model"), pk=pk, area=request.area)
    found = DriftWatch.objects.filter(source=source).first()
    if found is None:
        return render(request, "reconcile/drift.html", {"source": source, "w": None, "ignorable": IGNORABLE})
    accepted = request.GET.get("show") == "accepted"
    findings = found.findings.filter(accepted_at__isnull=not accepted).select_related("accepted_by")
    points = list(found.points.order_by("-at", "-pk")[:_POINTS])[::-1]
    key = drifting.feed_key(found, request.user)
    context = {
        "source": source, "w": found, "accepted": accepted,
        "page": Paginator(findings.order_by("schema", "table", "number"), _ROWS_A_PAGE).get_page(request.GET.get("page")),
        "open_count": found.findings.filter(accepted_at__isnull=True).count(),
        "accepted_count": found.findings.filter(accepted_at__isnull=False).count(),
        "chart": _chart(points), "ignorable": IGNORABLE,
        "schedule": Schedule.objects.filter(source=source).first(),
        "feed": settings.ADDRESS + reverse("drift-feed", args=[key]),
    }  # fmt: skip
    return render(request, "reconcile/drift.html", context)


@require_POST
@in_area(Role.STEWARD)
def watch(request: AreaRequest, pk: int) -> HttpResponse:
    """Watch a source, or change the rule of what matters."""
    source = get_object_or_404(Source.objects.select_related("model"), pk=pk, area=request.area, model__isnull=False)
    given = request.POST
    drifting.watch(
        source=source, person=request.user, ignore=given.getlist("ignore"), schemas=given.get("schemas", "").split()
    )
    messages.success(request, f"{source.name} is watched by this rule.")
    return redirect("reconcile:drift", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def stop(request: AreaRequest, pk: int) -> HttpResponse:
    """Watch a source no more."""
    source = get_object_or_404(Source, pk=pk, area=request.area)
    drifting.stop(source)
    messages.success(request, f"{source.name} is watched no more.")
    return redirect("sources:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def accept(request: AreaRequest, pk: int) -> HttpResponse:
    """Accept findings as known until they change, or tell them again."""
    found = _watch(request, pk)
    number, table = parse_int(request.POST.get("number"), -1), request.POST.get("table", "")
    known = request.POST.get("known") == "1"
    rows = found.findings.all()
    if number < 0:
        schema, _, name = table.rpartition(".")
        rows = rows.filter(schema=schema, table=name)
    numbers = [number] if number >= 0 else list(rows.values_list("number", flat=True))
    count = drifting.accept(found=found, person=request.user, numbers=numbers, known=known)
    told = "accepted as known until changed" if known else "open again"
    messages.success(request, f"{count:,} difference{'' if count == 1 else 's'} {told}.")
    return redirect(reverse("reconcile:drift", args=[request.area.slug, pk]) + ("" if known else "?show=accepted"))


@require_POST
@in_area(Role.STEWARD)
def look_again(request: AreaRequest, pk: int) -> HttpResponse:
    """Compare the last reading with the model as it is now."""
    drifting.look_again(_watch(request, pk))
    return redirect("reconcile:drift", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def renew_feed(request: AreaRequest, pk: int) -> HttpResponse:
    """End all addresses of the feed that were given out."""
    drifting.renew_feed(_watch(request, pk))
    messages.success(request, "The addresses that were given out are ended. Yours is a new one.")
    return redirect("reconcile:drift", request.area.slug, pk)


@require_GET
@login_not_required
def feed(request: HttpRequest, key: str) -> HttpResponse:
    """The readings that brought something new, for a feed reader; the key of the address says whose it is."""
    found = drifting.watch_of_key(key)
    if found is None:
        raise Http404
    source = found.source
    link = settings.ADDRESS + reverse("reconcile:drift", args=[source.area.slug, source.pk])
    made = Atom1Feed(title=f"Drift of {source.name}", link=link, description="", feed_url=request.build_absolute_uri())
    for point in found.points.filter(new__gt=0).order_by("-at", "-pk")[:_ENTRIES]:
        made.add_item(
            title=f"{source.name}: {point.new:,} new difference{'' if point.new == 1 else 's'} to its model", link=link,
            description="\n".join(point.lines), unique_id=f"{link}#{point.pk}", updateddate=point.at, pubdate=point.at,
        )  # fmt: skip
    return HttpResponse(made.writeString("utf-8"), content_type="application/atom+xml; charset=utf-8")


def _chart(points: list[DriftPoint]) -> Chart | None:
    """Return the history: how far the source was from the model, and from the model's last version."""
    model = [
        Value(one.at, one.from_model, f"{one.from_model:,} to the model, {one.new:,} new", marked=bool(one.new))
        for one in points
    ]
    version = [
        Value(one.at, one.from_version, f"{one.from_version:,} to its last version")
        for one in points
        if one.from_version is not None
    ]
    return line_chart({"to the model": model, "to its last version": version})


def _watch(request: AreaRequest, pk: int) -> DriftWatch:
    return get_object_or_404(DriftWatch.objects.select_related("source"), source_id=pk, source__area=request.area)
