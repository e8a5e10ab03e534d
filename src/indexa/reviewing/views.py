"""The review and the comments of an object, in its margin; what waits for a review; what one is told."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area, require
from indexa.reviewing import services
from indexa.reviewing.models import TARGETS, Comment, Notice, Review
from indexa.store.errors import EditError
from indexa.store.models import StoredColumn, StoredTable
from indexa.ui.parameters import parse_int

_A_PAGE = 50
_ACTS = {
    "propose": Role.STEWARD,
    "agree": Role.APPROVER,
    "return": Role.APPROVER,
    "comment": Role.READER,
    "follow": Role.READER,
    "unfollow": Role.READER,
}


@require_http_methods(["GET", "POST"])
@in_area(Role.READER)
def about(request: AreaRequest, target: str, pk: int) -> HttpResponse:
    """What is said and decided about an object; by POST an act: propose, agree, return, comment, follow, unfollow."""
    if target not in TARGETS:
        raise Http404
    try:
        item = services.item_of(request.area, target, pk)
    except EditError as error:
        raise Http404 from error
    context: dict[str, Any] = {}
    act = request.POST.get("act", "")
    if request.method == "POST":
        if act not in _ACTS:
            raise Http404
        require(request.user, request.area, _ACTS[act])
        try:
            _do(request, item, act)
        except EditError as error:
            context = {"failure": str(error), "typed": request.POST.get("text", "")}
    status = 422 if context else 200
    section = "_review" if act in ("propose", "agree", "return") else "_comments"
    return render(request, f"reviewing/{section}.html", context | shown(request, item), status=status)


def _do(request: AreaRequest, item: StoredColumn | StoredTable, act: str) -> None:
    text = request.POST.get("text", "")
    if act == "propose":
        services.propose(area=request.area, person=request.user, item=item)
    elif act == "comment":
        services.comment(area=request.area, person=request.user, item=item, text=text)
    elif act in ("follow", "unfollow"):
        services.follow(person=request.user, item=item, on=act == "follow")
    else:
        _, review = services.state_of(item)
        if review is None:
            raise EditError("The definition was changed meanwhile. Load the page again.")
        services.decide(area=request.area, person=request.user, review=review, agree=act == "agree", reason=text)


def shown(request: Any, item: StoredColumn | StoredTable) -> dict[str, Any]:
    """Return what the section about an object needs."""
    target = "column" if isinstance(item, StoredColumn) else "table"
    state, review = services.state_of(item)
    return {
        "target": target, "object_id": item.pk, "state": state, "review": review,
        "comments": Comment.objects.filter(target=target, object_id=item.pk).select_related("person"),
        "follows": services.follows(request.user, item), "may_agree": getattr(request, "role", Role.READER) >= Role.APPROVER,
        "url": reverse("reviewing:about", args=[request.area.slug, target, item.pk]),
    }  # fmt: skip


@require_GET
@in_area(Role.READER)
def waiting(request: AreaRequest) -> HttpResponse:
    """All definitions that are proposed and wait for an approver."""
    found = Review.objects.filter(area=request.area, state=Review.State.PROPOSED).select_related("proposed_by")
    page = Paginator(found, _A_PAGE).get_page(request.GET.get("page"))
    tables = dict(
        StoredColumn.objects.filter(pk__in=[one.object_id for one in page if one.target == "column"]).values_list(
            "pk", "table_id"
        )
    )
    for one in page:
        table = tables.get(one.object_id) if one.target == "column" else one.object_id
        address = reverse("modeling:table", args=[request.area.slug, table]) if table else ""
        one.address = f"{address}?column={one.object_id}" if one.target == "column" else address
    context = {"page": page, "may_agree": request.role >= Role.APPROVER}
    return render(request, "reviewing/waiting.html", context)


@require_POST
@in_area(Role.APPROVER)
def decide(request: AreaRequest, pk: int) -> HttpResponse:
    """Agree to a definition of the list, or return it."""
    review = get_object_or_404(Review, pk=pk, area=request.area)
    agree = request.POST.get("act") == "agree"
    try:
        services.decide(
            area=request.area, person=request.user, review=review, agree=agree, reason=request.POST.get("text", "")
        )
        messages.success(request, f"{review.label}: {'agreed' if agree else 'returned'}.")
    except EditError as error:
        messages.error(request, f"{review.label}: {error}")
    return redirect("reviewing:waiting", request.area.slug)


@require_POST
@in_area(Role.READER)
def seen(request: AreaRequest) -> HttpResponse:
    """Mark what one was told as seen: one notice, on the way to its page, or all."""
    pk = parse_int(request.POST.get("notice"))
    notice = Notice.objects.filter(person=request.user, area=request.area, pk=pk).first() if pk else None
    services.see(request.user, request.area, pk or None)
    return redirect(notice.address if notice else reverse("desk:page", args=[request.area.slug]))
