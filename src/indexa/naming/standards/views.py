"""Naming standards and findings: rules per kind of object, what a change would do, and what breaks a rule."""

from __future__ import annotations

from typing import Any

import msgspec
from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Count, QuerySet
from django.http import Http404, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.naming.checking import RULES
from indexa.core.naming.patterns import PARTS, PatternError
from indexa.core.naming.standard import CASES, KINDS, SEVERITIES, Kind, Rule, Standard, write_standard
from indexa.naming.standards import services as standards
from indexa.naming.standards.models import NameFinding, StoredStandard, Waiver
from indexa.naming.wordbooks import services as wordbooks
from indexa.store.errors import EditError
from indexa.store.loading import load_model
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int, parse_ints

_FINDINGS_A_PAGE = 50
_PATTERNED = ("primary key", "unique key", "foreign key", "index", "check", "sequence", "trigger")


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def standard_list(request: AreaRequest) -> HttpResponse:
    """The standards of the area; posting makes another one."""
    if request.method == "POST":
        try:
            made = standards.make(area=request.area, person=request.user, name=request.POST.get("name", ""))
        except standards.StandardError as error:
            messages.error(request, str(error))
            return redirect("naming:standards", request.area.slug)
        return redirect("naming:standard", request.area.slug, made.pk)
    found = list(StoredStandard.objects.filter(area=request.area).prefetch_related("governs"))
    if len(found) == 1 and "all" not in request.GET:
        return redirect("naming:standard", request.area.slug, found[0].pk)
    return render(request, "naming/standards.html", {"standards": found})


@require_GET
@in_area(Role.READER)
def standard_page(request: AreaRequest, pk: int) -> HttpResponse:
    """One standard: its rules by kind, each with a name of a real model, its versions, the models that it governs."""
    stored = _standard(request, pk)
    core = standards.core_standard(stored)
    example_model = stored.governs.first()
    examples = standards.Examples(load_model(example_model), request.area) if example_model else None
    rows = [
        {
            "kind": kind, "slug": kind.replace(" ", "-"), "title": standards.KIND_NAMES[kind], "rule": core.rules.get(kind),
            "example": _first_example(core, kind, examples) if examples else None,
        }
        for kind in KINDS
    ]  # fmt: skip
    governed = set(stored.governs.values_list("pk", flat=True))
    models = [
        (model, model.pk in governed)
        for model in StoredModel.objects.filter(area=request.area).order_by("-layer", "name")
    ]
    context = {
        "standard": stored, "rows": rows, "versions": stored.versions.select_related("by")[:8], "models": models,
        "example_model": example_model, "governed": len(governed),
        "findings": NameFinding.objects.filter(model__in=governed).count(),
        "by_kind": NameFinding.objects.filter(model__in=governed).values_list("kind").annotate(count=Count("pk")).order_by("-count"),
        "others": StoredStandard.objects.filter(area=request.area).exclude(pk=pk).exists(),
    }  # fmt: skip
    return render(request, "naming/standard.html", context)


def _first_example(core: Standard, kind: Kind, examples: standards.Examples) -> standards.Example | None:
    try:
        found = examples.of(core, kind, limit=1)
    except PatternError:
        return None
    return found[0] if found else None


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def rule(request: AreaRequest, pk: int, kind: str) -> HttpResponse:
    """The margin of one rule (GET); what a change would do, or the change saved (POST)."""
    stored = _standard(request, pk)
    named = standards.kind_of(kind)
    if named is None:
        raise Http404("There is no such kind.")
    core = standards.core_standard(stored)
    context: dict[str, Any] = {
        "standard": stored, "kind": named, "slug": kind, "title": standards.KIND_NAMES[named], "parts": PARTS,
        "patterned": named in _PATTERNED, "severities": SEVERITIES, "cases": CASES, "numbers": ("any", "singular", "plural"), "model": stored.governs.first(),
    }  # fmt: skip
    if request.method == "POST":
        try:
            then = standards.with_rule(stored, named, {name: str(value) for name, value in request.POST.items()})
            if request.POST.get("act") == "save":
                standards.save(stored=stored, person=request.user, then=then, why=request.POST.get("why", ""))
                messages.success(request, f"Saved as version {_standard(request, pk).version}.")
                response = HttpResponse(status=204)
                response["HX-Refresh"] = "true"
                return response
            context |= {"report": standards.report(stored, then), "examples": _examples(then, named, stored, request)}
            core = then
        except (standards.StandardError, PatternError) as error:
            context |= {"failure": str(error), "rule": _typed(request)}
            return render(request, "naming/_rule.html", context, status=422)
    context |= {"rule": core.rules.get(named) or Rule(form="any"), "used": named in core.rules}
    if "examples" not in context:
        context["examples"] = _examples(core, named, stored, request)
    return render(request, "naming/_rule.html", context)


def _typed(request: AreaRequest) -> dict[str, object]:
    """What was typed, for the form of a change that can't be made."""
    return {name: request.POST.get(name, "") for name in request.POST} | {
        "class_words": request.POST.get("class_words", "").split()
    }


def _examples(core: Standard, kind: Kind, stored: StoredStandard, request: AreaRequest) -> list[standards.Example]:
    model = stored.governs.first()
    return standards.Examples(load_model(model), request.area).of(core, kind) if model else []


@require_POST
@in_area(Role.STEWARD)
def govern(request: AreaRequest, pk: int) -> HttpResponse:
    """Choose the models that a standard governs."""
    chosen = StoredModel.objects.filter(area=request.area, pk__in=parse_ints(request.POST.getlist("models")))
    standards.govern(stored=_standard(request, pk), models=list(chosen), person=request.user)
    messages.success(request, "The names of its models were checked.")
    return redirect("naming:standard", request.area.slug, pk)


@require_GET
@in_area(Role.READER)
def standard_file(request: AreaRequest, pk: int) -> HttpResponse:
    """The standard as the file that `indexa check` takes, with the words that are agreed."""
    stored = _standard(request, pk)
    words = tuple(
        word for book in wordbooks.stack_of(request.area).books for word in book.words if word.status == "agreed"
    )
    content = write_standard(msgspec.structs.replace(standards.core_standard(stored), words=words))
    response = HttpResponse(content, content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="naming-standard-{stored.pk}-v{stored.version}.json"'
    return response


@require_GET
@in_area(Role.READER)
def findings(request: AreaRequest) -> HttpResponse:
    """What breaks a rule in one model, grouped by rule."""
    models = list(StoredModel.objects.filter(naming_standards__area=request.area).distinct().order_by("-layer", "name"))
    wanted = parse_int(request.GET.get("model"))
    model = next((one for one in models if one.pk == wanted), models[0] if models else None)
    context: dict[str, Any] = {"models": models, "model": model, "rule": request.GET.get("rule", ""), "rules": RULES}
    if model is not None:
        if standards.is_stale(model):
            standards.check_or_queue(model, request.user)
        waived = dict(Waiver.objects.filter(model=model).values_list("fingerprint", "reason"))
        every = NameFinding.objects.filter(model=model)
        groups = every.values("rule").annotate(count=Count("pk")).order_by("-count")
        found = _asked_for(request.GET, model).order_by("rule", "place")
        page = Paginator(found, _FINDINGS_A_PAGE).get_page(request.GET.get("page"))
        kept = request.GET.copy()
        kept.pop("page", None)
        context |= {
            "page": page, "kept": kept.urlencode(), "groups": groups, "waived_count": len(waived),
            "q": request.GET.get("q", "").strip()[:200],
            "rows": [{"f": one, "reason": waived.get(one.fingerprint, "")} for one in page.object_list],
            "standard": standards.standard_of(model), "total": sum(group["count"] for group in groups),
            "show": request.GET.get("waived", ""), "can_fix": standards.mendable(found).values("target", "object_id").distinct().count(),
        }  # fmt: skip
    return render(request, "naming/findings.html", context)


def _asked_for(asked: QueryDict, model: StoredModel) -> QuerySet[NameFinding]:
    """Return the findings of a model that a filter asks for."""
    found = NameFinding.objects.filter(model=model)
    waived = list(Waiver.objects.filter(model=model).values_list("fingerprint", flat=True))
    if asked.get("rule") in RULES:
        found = found.filter(rule=asked["rule"])
    if text := asked.get("q", "").strip()[:200]:
        found = found.filter(place__icontains=text)
    if asked.get("waived") == "only":
        return found.filter(fingerprint__in=waived)
    return found if asked.get("waived") == "too" else found.exclude(fingerprint__in=waived)


@require_POST
@in_area(Role.STEWARD)
def fix_all(request: AreaRequest) -> HttpResponse:
    """Give all names that the filter asks for, and that are not waived, the name that they should have."""
    model = get_object_or_404(StoredModel, pk=parse_int(request.POST.get("model")), area=request.area)
    kept = QueryDict(request.POST.get("kept", "")[:2_000])
    asked = kept.copy()
    asked.pop("waived", None)
    try:
        done = standards.fix(model=model, person=request.user, findings=_asked_for(asked, model))
    except (standards.StandardError, EditError) as error:
        messages.error(request, str(error))
    else:
        messages.success(
            request, f"{done.count:,} name{'s' if done.count != 1 else ''} changed. Press u to take them back."
        )
        if done.taken:
            messages.warning(request, standards.taken_message(done.taken))
    return redirect(f"{reverse('naming:findings', args=[request.area.slug])}?{kept.urlencode()}")


@require_POST
@in_area(Role.STEWARD)
def fix(request: AreaRequest, pk: int) -> HttpResponse:
    """Give one name the name that it should have; the row tells what became of it."""
    finding = get_object_or_404(NameFinding.objects.select_related("model__area"), pk=pk, model__area=request.area)
    context: dict[str, Any] = {"row": {"f": finding, "reason": ""}}
    try:
        done = standards.fix(model=finding.model, person=request.user, findings=NameFinding.objects.filter(pk=pk))
        if done.change_set is None:
            raise standards.StandardError(
                standards.taken_message(done.taken)
                if done.taken
                else "It has another name by now. Load the page again."
            )
    except (standards.StandardError, EditError) as error:
        return render(request, "naming/_finding.html", context | {"not_fixed": str(error)}, status=422)
    return render(request, "naming/_finding.html", context | {"fixed": True})


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def waive(request: AreaRequest, pk: int) -> HttpResponse:
    """The row of a finding with a field for the reason (GET), or as decided (POST)."""
    finding = get_object_or_404(NameFinding.objects.select_related("model"), pk=pk, model__area=request.area)
    context: dict[str, Any] = {
        "row": {"f": finding, "reason": ""},
        "editing": request.method == "GET" and "cancel" not in request.GET,
    }
    if request.method == "POST":
        try:
            if request.POST.get("act") == "back":
                standards.unwaive(model=finding.model, finding_id=pk)
            else:
                standards.waive(
                    model=finding.model, person=request.user, finding_id=pk, reason=request.POST.get("reason", "")
                )
        except standards.StandardError as error:
            return render(
                request, "naming/_finding.html", context | {"editing": True, "failure": str(error)}, status=422
            )
    known = Waiver.objects.filter(model=finding.model, fingerprint=finding.fingerprint).first()
    context["row"]["reason"] = known.reason if known else ""
    return render(request, "naming/_finding.html", context)


def _standard(request: AreaRequest, pk: int) -> StoredStandard:
    return get_object_or_404(StoredStandard, pk=pk, area=request.area)
