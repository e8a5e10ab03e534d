"""The page of proposals within a model: groups to decide together, rows to decide one by one, evidence in the margin."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import trigger_client_event

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.proposals import deciding, queries
from indexa.proposals import discovery as finding
from indexa.proposals.errors import ProposalError
from indexa.proposals.models import StoredProposal
from indexa.store.models import Layer, StoredModel

_GROUPS_A_PAGE = 25
_ROWS_OF_ONE_GROUP = 500
_SURE = 0.9
_LEAST = ("0.5", "0.8", "0.9")
_FOLLOWS = {
    "foreign_key": "The relationship is added to the model, asserted by you, and brings definitions along. The database is not changed.",
    "typed_reference": "The relationship is added to the model for rows of that type, asserted by you.",
    "primary_key": "The key is added to the model, asserted by you. The database is not changed.",
    "unique": "The key is added to the model, asserted by you. The database is not changed.",
    "many_to_many": "The table is marked as one that joins others.",
    "subtype": "The table is marked as a subtype.",
    "code_table": "The table is marked as a code table.",
    "fact": "The table is marked as a fact.",
    "dimension": "The table is marked as a dimension. Which history it keeps is set where the table is edited.",
    "bridge": "The table is marked as a bridge.",
    "aggregate": "The table is marked as an aggregate.",
    "repeated_column": "The column shows the definition of the one that it repeats, until it has its own.",
    "same_entity": "The table implements that entity, its columns those attributes: what is said of them holds for it. What it implemented "
    "before stays in the logical model until it is deleted.",
    "definition": "The comment becomes the definition, kept where an edit of it would go. The comment itself stays.",
}


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """All proposals of a model under a filter, by pattern or by table."""
    model = _model(request, pk)
    given = _given(request)
    found = queries.narrowed(
        model, state=given["state"], kind=given["kind"], text=given["q"], least=float(given["least"])
    )
    by_table = given["by"] == "table"
    only = request.GET.get("only", "")[:500]
    if only:
        found = found.filter(**({"table_name": only} if by_table else {"pattern": only}))
    pages = Paginator(queries.groups(found, by_table=by_table), _GROUPS_A_PAGE).get_page(request.GET.get("page"))
    looks = Job.objects.filter(area=request.area, kind="proposals", arguments__model=model.pk)
    shown = _ROWS_OF_ONE_GROUP if only else queries.SHOWN
    kinds = StoredProposal.objects.filter(model=model, state=given["state"]).values("kind").annotate(count=Count("pk"))
    context = {
        "model": model, "given": given, "page": pages, "groups": queries.filled(found, list(pages.object_list), by_table=by_table, shown=shown),
        "by_table": by_table, "counts": queries.counts(model), "only": only, "kept": urlencode(given | ({"only": only} if only else {})),
        "kinds": [(StoredProposal.Kind(one["kind"]), one["count"]) for one in kinds.order_by("-count")],
        "sure": found.filter(state="open", confidence__gte=_SURE).count(), "sure_from": _SURE,
        "is_narrowed": bool(given["kind"] or given["q"] or only),
        "asks_rows": model.sources.filter(asks_rows=True).exists(),
        "looking": looks.filter(state__in=["waiting", "running"]).first(),
        "all_groups": f"?{urlencode(given)}", "last": looks.filter(state="done").order_by("-pk").first(),
    }  # fmt: skip
    return render(request, "proposals/page.html", context)


def _given(request: AreaRequest) -> dict[str, str]:
    """Return the page's filters; what is no value of a filter narrows nothing."""
    state, kind, by = (request.GET.get(name, "") for name in ("state", "kind", "by"))
    least = request.GET.get("least", "")
    return {
        "state": state if state in StoredProposal.State.values else "open",
        "kind": kind if kind in StoredProposal.Kind.values else "",
        "by": "table" if by == "table" else "pattern",
        "q": request.GET.get("q", "").strip()[:200],
        "least": least if least in _LEAST else "0",
    }


def _least(given: str) -> float:
    return float(given) if given in _LEAST else 0.0


@require_POST
@in_area(Role.STEWARD)
def look(request: AreaRequest, pk: int) -> HttpResponse:
    """Start looking for what the model does not declare."""
    model = _model(request, pk)
    job = finding.start(
        area=request.area, person=request.user, model=model, ask_rows=request.POST.get("ask_rows") == "1"
    )
    return redirect("jobs:page", request.area.slug, job.pk)


@require_GET
@in_area(Role.READER)
def margin(request: AreaRequest, pk: int, proposal_pk: int) -> HttpResponse:
    """What speaks for a proposal, what else its columns may refer to, and what follows if it is accepted."""
    return render(request, "proposals/_margin.html", _margin(_proposal(request, pk, proposal_pk)))


def _margin(one: StoredProposal) -> dict[str, Any]:
    rivals = StoredProposal.objects.filter(model=one.model, table_id=one.table_id, column_ids__overlap=one.column_ids)
    return {
        "p": one,
        "model": one.model,
        "rivals": rivals.exclude(pk=one.pk).order_by("-confidence")[:6],
        "follows": _FOLLOWS[one.kind],
        "of_hundred": int(100 * one.confidence + 0.5),
    }


@require_GET
@in_area(Role.READER)
def on_diagram(request: AreaRequest, pk: int, proposal_pk: int) -> HttpResponse:
    """The margin of a proposed relationship that is shown on a diagram, with its acts."""
    return render(request, "proposals/_on_diagram.html", _margin(_proposal(request, pk, proposal_pk)))


@require_POST
@in_area(Role.STEWARD)
def decide_on_diagram(request: AreaRequest, pk: int, proposal_pk: int) -> HttpResponse:
    """Accept or reject a proposed relationship out of a diagram, which draws itself anew."""
    one, failure = _proposal(request, pk, proposal_pk), ""
    try:
        deciding.decide(
            area=request.area, person=request.user, proposals=StoredProposal.objects.filter(pk=one.pk),
            accept=request.POST.get("act") == "accept",
        )  # fmt: skip
    except ProposalError as error:
        failure = str(error)
    context = _margin(_proposal(request, pk, proposal_pk)) | {"failure": failure}
    response = render(request, "proposals/_on_diagram.html", context, status=422 if failure else 200)
    return trigger_client_event(response, "words-changed")


@require_POST
@in_area(Role.STEWARD)
def decide(request: AreaRequest, pk: int, proposal_pk: int) -> HttpResponse:
    """Accept or reject one proposal; answers its row anew, and the counts."""
    one = _proposal(request, pk, proposal_pk)
    accept = request.POST.get("act") == "accept"
    failure = ""
    try:
        _, count = deciding.decide(
            area=request.area, person=request.user, proposals=StoredProposal.objects.filter(pk=one.pk), accept=accept
        )
        failure = "" if count else "It was decided in the meantime; this is its state now."
    except ProposalError as error:
        failure = str(error)
    one = _proposal(request, pk, proposal_pk)
    text = "" if failure else f"{'Accepted' if accept else 'Rejected'}. Press u to undo."
    context = {"p": one, "model": one.model, "failure": failure, "fragment": True, "counts": queries.counts(one.model), "message": text,
               "by_table": request.POST.get("by") == "table"}  # fmt: skip
    return render(request, "proposals/_row.html", context, status=422 if failure else 200)


@require_POST
@in_area(Role.STEWARD)
def decide_many(request: AreaRequest, pk: int) -> HttpResponse:
    """Accept or reject a group, or all that are sure enough."""
    model = _model(request, pk)
    accept = request.POST.get("act") == "accept"
    kind, pattern, table = (request.POST.get(name, "") for name in ("kind", "pattern", "table"))
    shown = queries.narrowed(
        model,
        state=StoredProposal.State.OPEN,
        kind=kind,
        text=request.POST.get("q", "").strip()[:200],
        least=_SURE if request.POST.get("sure") else _least(request.POST.get("least", "")),
    )
    if request.POST.get("sure"):
        only = request.POST.get("only", "")[:500]
        if only:
            shown = shown.filter(**({"table_name": only} if request.POST.get("by") == "table" else {"pattern": only}))
    elif pattern:
        shown = shown.filter(pattern=pattern)
    elif table.isdigit():
        shown = shown.filter(table_id=int(table))
    else:
        shown = shown.none()
    of: dict[str, Any] = {"pk__in": list(shown.values_list("pk", flat=True))}
    found = StoredProposal.objects.filter(model=model, **of)
    count = found.filter(state=StoredProposal.State.OPEN).count()
    if count > deciding.AT_ONCE:
        title = f"{'Accepting' if accept else 'Rejecting'} {count:,} proposals for {model.name}"
        job = jobs.start(
            area=request.area,
            kind="decide proposals",
            title=title,
            person=request.user,
            model=model.pk,
            of=of,
            accept=accept,
        )
        return redirect("jobs:page", request.area.slug, job.pk)
    try:
        _, count = deciding.decide(area=request.area, person=request.user, proposals=found, accept=accept)
    except ProposalError as error:
        messages.error(request, str(error))
    else:
        done = "accepted" if accept else "rejected"
        message = f"{count:,} proposal{'' if count == 1 else 's'} {done}. Press u to undo."
        messages.success(request, message if count else "Nothing of this was still open.")
    kept = request.POST.get("kept", "")[:2000]
    return redirect(f"{reverse('proposals:page', args=[request.area.slug, pk])}?{kept}")


def _model(request: AreaRequest, pk: int) -> StoredModel:
    return get_object_or_404(
        StoredModel.objects.select_related("logical"), pk=pk, area=request.area, layer=Layer.PHYSICAL
    )


def _proposal(request: AreaRequest, pk: int, proposal_pk: int) -> StoredProposal:
    found: Any = StoredProposal.objects.select_related("model", "decided_by", "change_set")
    one: StoredProposal = get_object_or_404(found, pk=proposal_pk, model_id=pk, model__area=request.area)
    return one
