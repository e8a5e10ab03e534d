"""The pages of terms, code lists, domains and rules, and what a column carries."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Count, Q
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area, require
from indexa.core.glossary.codes import as_text
from indexa.core.render.lists import Heading, as_csv
from indexa.describing import subjects
from indexa.glossary import code_files, domain_reach, services
from indexa.glossary.change_targets import KINDS as TARGETS
from indexa.glossary.models import CodeList, Domain, Rule, Term
from indexa.store.errors import EditError
from indexa.store.models import StoredColumn
from indexa.ui.parameters import parse_int, parse_ints

KINDS: dict[str, Any] = {"terms": Term, "lists": CodeList, "domains": Domain, "rules": Rule}
LABELS = {
    "terms": ("Glossary", "term"),
    "lists": ("Code lists", "code list"),
    "domains": ("Domains", "domain"),
    "rules": ("Rules", "rule"),
}
_A_PAGE = 100
_MOST_CARRIERS = 300


def _kind(kind: str) -> Any:
    if kind not in KINDS:
        raise Http404
    return KINDS[kind]


@require_GET
@in_area(Role.READER)
def item_list(request: AreaRequest, kind: str) -> HttpResponse:
    """All terms, code lists or domains of the area, and what is proposed as one."""
    found = _kind(kind).objects.filter(area=request.area).annotate(used=Count("carriers"))
    text = request.GET.get("q", "").strip()[:120]
    if text:
        found = found.filter(Q(name__icontains=text) | _more_text(kind, text))
    context = {
        "kind": kind, "sheet_kind": "codes" if kind == "lists" else kind, "labels": LABELS[kind], "text": text,
        "tabs": [(name, label) for name, (label, _) in LABELS.items()],
        "page": Paginator(found.order_by("name"), _A_PAGE).get_page(request.GET.get("page")),
        "proposed": services.proposed_terms(request.area)[:40] if kind == "terms" and request.role >= Role.STEWARD else [],
        "found": services.found_lists(request.area)[:60] if kind == "lists" and request.role >= Role.STEWARD else [],
    }  # fmt: skip
    return render(request, "glossary/list.html", context)


def _more_text(kind: str, text: str) -> Q:
    if kind == "rules":
        return Q(definition__icontains=text) | Q(reason__icontains=text)
    return (
        Q(definition__icontains=text) | Q(synonyms__icontains=text) if kind == "terms" else Q(meaning__icontains=text)
    )


@require_GET
@in_area(Role.READER)
def item_page(request: AreaRequest, kind: str, pk: int) -> HttpResponse:
    """A term, code list or domain, and every column that carries it."""
    item = get_object_or_404(_kind(kind), pk=pk, area=request.area)
    tables, carriers = services.governed(item) if isinstance(item, Rule) else ([], services.carriers(item))
    context: dict[str, Any] = {
        "kind": kind, "labels": LABELS[kind], "item": item, "carriers": carriers[:_MOST_CARRIERS], "count": len(carriers),
        "tables": tables[:_MOST_CARRIERS], "subject": (TARGETS[type(item)][0], item.pk),
    }  # fmt: skip
    if isinstance(item, Term):
        context["related"] = Term.objects.filter(
            Q(pk__in=item.related) | Q(related__contains=[item.pk]), area=request.area
        )
    if isinstance(item, Domain) and request.role >= Role.STEWARD:
        context["members"] = services.members_to_propose(item)[:30]
    return render(request, "glossary/item.html", context)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def item_form(request: AreaRequest, kind: str, pk: int = 0) -> HttpResponse:
    """Make or change a term, code list or domain."""
    model = _kind(kind)
    item = get_object_or_404(model, pk=pk, area=request.area) if pk else None
    given, failure = _given_of(item), ""
    if request.method == "POST":
        given = request.POST.dict() | {
            "related": parse_ints(request.POST.getlist("related")),
            "broader": parse_int(request.POST.get("broader")),
        }
        if isinstance(item, Term) and given.get("state") != item.state and given.get("state") == Term.State.AGREED:
            require(request.user, request.area, Role.APPROVER)
        try:
            file = request.FILES.get("file")
            if model is CodeList and file is not None:
                given["codes"] = code_files.codes_text(file)
            reach = domain_reach.reach_of(item, given) if isinstance(item, Domain) else None
            if reach is not None and given.get("sure") != reach.sign:
                return render(request, "glossary/form.html", _form(request, kind, item, given) | {"reach": reach})
            made = services.save(area=request.area, person=request.user, kind=model, item=item, given=given)
            messages.success(request, f"{made} is saved.")
            return redirect("glossary:item", request.area.slug, kind, made.pk)
        except EditError as error:
            failure = str(error)
    context = _form(request, kind, item, given) | {"failure": failure}
    return render(request, "glossary/form.html", context, status=422 if failure else 200)


def _form(request: AreaRequest, kind: str, item: Any, given: dict[str, Any]) -> dict[str, Any]:
    others = Term.objects.filter(area=request.area).exclude(pk=item.pk if item else 0)
    return {
        "kind": kind, "labels": LABELS[kind], "item": item, "given": given, "terms": others if kind == "terms" else [],
        "lists": CodeList.objects.filter(area=request.area) if kind == "domains" else [], "states": Term.State.choices,
        "may_agree": request.role >= Role.APPROVER,
    }  # fmt: skip


def _given_of(item: Any) -> dict[str, Any]:
    if item is None:
        return {"state": Term.State.DRAFT}
    given = {
        field.name: getattr(item, field.name)
        for field in item._meta.concrete_fields
        if field.name not in ("id", "area")
    }
    if isinstance(item, CodeList):
        given["codes"] = as_text(item.as_core)
    if isinstance(item, Term):
        given |= {"synonyms": ", ".join(item.synonyms), "broader": item.broader_id}
    if isinstance(item, Domain):
        given["code_list"] = item.code_list_id
    return given


@require_POST
@in_area(Role.STEWARD)
def delete(request: AreaRequest, kind: str, pk: int) -> HttpResponse:
    """Delete one; undo brings it back."""
    item = get_object_or_404(_kind(kind), pk=pk, area=request.area)
    services.delete(area=request.area, person=request.user, item=item)
    messages.success(request, f"{item} is deleted. Press u to undo.")
    return redirect("glossary:list", request.area.slug, kind)


@require_POST
@in_area(Role.STEWARD)
def accept(request: AreaRequest, kind: str) -> HttpResponse:
    """Accept what is proposed: terms of business names, code lists of checks and types."""
    chosen = request.POST.getlist("chosen")
    if kind == "terms":
        count = services.accept_terms(area=request.area, person=request.user, names=chosen)
    elif kind == "lists":
        count = services.accept_lists(area=request.area, person=request.user, origins=chosen)
    else:
        raise Http404
    messages.success(request, f"{count:,} accepted. Press u to undo.")
    return redirect("glossary:list", request.area.slug, kind)


@require_POST
@in_area(Role.STEWARD)
def add_members(request: AreaRequest, kind: str, pk: int) -> HttpResponse:
    """Say of columns that they carry this one."""
    item = get_object_or_404(_kind(kind), pk=pk, area=request.area)
    field = {"terms": "term", "lists": "code_list", "domains": "domain"}[kind]
    ids = parse_ints(request.POST.getlist("chosen"))
    count = services.carry(
        area=request.area, person=request.user, column_ids=ids, carried={field: item}, why=f"Carries {item}"
    )
    messages.success(request, f"{count:,} column{'' if count == 1 else 's'} carry {item}.")
    return redirect("glossary:item", request.area.slug, kind, pk)


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def carried(request: AreaRequest, pk: int) -> HttpResponse:
    """What a column carries; with `edit` the form, by POST what it carries from now on, each by its name."""
    column = get_object_or_404(StoredColumn.objects.select_related("table"), pk=pk, table__model__area=request.area)
    context: dict[str, Any] = {"editing": "edit" in request.GET}
    if request.method == "POST":
        try:
            found = {
                field: _by_name(request, model, request.POST.get(field, ""))
                for field, model in (("term", Term), ("domain", Domain), ("code_list", CodeList))
            }
            services.carry(area=request.area, person=request.user, column_ids=[pk], carried=found)
        except EditError as error:
            context |= {"failure": str(error), "editing": True}
    status = 422 if "failure" in context else 200
    return render(
        request, "glossary/_carried.html", context | shown(request, column, editing=context["editing"]), status=status
    )


def _by_name(request: AreaRequest, model: Any, name: str) -> Any:
    name = " ".join(name.split())
    if not name:
        return None
    item = model.objects.filter(area=request.area, name__iexact=name).first()
    if item is None and model is Term:
        item = Term.objects.filter(area=request.area, synonyms__contains=[name]).first()
    if item is None:
        raise EditError(f"There is no “{name[:60]}” here. Make it first, under Glossary, Domains, Code lists or Rules.")
    return item


def shown(request: Any, column: StoredColumn, *, editing: bool = False) -> dict[str, Any]:
    """Return what the section about a column needs; where it is edited, all names that can be chosen."""
    meaning, is_shared = services.meaning_of(column)
    names = {field: list(model.objects.filter(area=request.area).values_list("name", flat=True)[:2_000]) for field, model in (
        ("term", Term), ("domain", Domain), ("code_list", CodeList)
    )} if editing else {}  # fmt: skip
    rows = [
        ("term", "Term", "terms", meaning.term if meaning else None, names.get("term")),
        ("domain", "Domain", "domains", meaning.domain if meaning else None, names.get("domain")),
        ("code_list", "Code list", "lists", _list_of(meaning), names.get("code_list")),
    ]
    url = reverse("glossary:carried", args=[request.area.slug, column.pk])
    return {
        "rows": rows, "is_shared": is_shared, "column": column, "url": url, "codes": _list_of(meaning), "editing": editing,
        "nothing": not any(row[3] for row in rows),
    }  # fmt: skip


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def rules_of(request: AreaRequest, target: str, pk: int) -> HttpResponse:
    """The rules that govern a table or column; by POST one is added by its name, or (`remove`) taken off."""
    context: dict[str, Any] = {}
    try:
        subjects.label_of(request.area, target if target in ("table", "column") else "", pk)
        if request.method == "POST":
            given: dict[str, Any] = {"area": request.area, "person": request.user, "target": target, "object_id": pk}
            if "remove" in request.POST:
                rule = get_object_or_404(Rule, pk=parse_int(request.POST["remove"]), area=request.area)
                services.govern(**given, rule=rule, on=False)
            else:
                services.govern(**given, rule=_by_name(request, Rule, request.POST.get("rule", "")))
    except EditError as error:
        if request.method != "POST":
            raise Http404 from error
        context["failure"] = str(error)
    status = 422 if context else 200
    return render(request, "glossary/_rules.html", context | rules_shown(request, target, pk), status=status)


def rules_shown(request: Any, target: str, pk: int) -> dict[str, Any]:
    """Return what the section about the rules of a table or column needs."""
    return {
        "rules": services.rules_of(target, pk), "section": f"rules-{target}-{pk}",
        "names": Rule.objects.filter(area=request.area).values_list("name", flat=True)[:500],
        "url": reverse("glossary:rules-of", args=[request.area.slug, target, pk]),
    }  # fmt: skip


def _list_of(meaning: Any) -> CodeList | None:
    if meaning is None:
        return None
    return meaning.code_list or (meaning.domain.code_list if meaning.domain else None)


@require_GET
@in_area(Role.READER)
def codes_file(request: AreaRequest, pk: int) -> HttpResponse:
    """A code list as CSV."""
    item = get_object_or_404(CodeList, pk=pk, area=request.area)
    headings = [Heading("Code", 12), Heading("Meaning", 40), Heading("Retired", 8)]
    rows = [(one.code, one.meaning, "yes" if one.retired else "") for one in item.as_core]
    response = HttpResponse(as_csv(headings, rows), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="codes.csv"'
    return response
