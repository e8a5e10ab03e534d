"""Naming passes: starting one, deciding on words and names, applying it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Case, IntegerField, Q, Value, When
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.jobs import services as jobs
from indexa.naming.errors import PassError
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.passes.models import NamingPass, PassWord
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.store.errors import EditError
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int

_DECISIONS = 30
_NAMES_A_PAGE = 50
_EFFECTS = 3
_WHERE = 40
_KINDS = ("tables", "columns", "keys")
_COMPANY = 14


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def pass_list(request: AreaRequest) -> HttpResponse:
    """All passes of the area; posting starts another one."""
    models = StoredModel.objects.filter(area=request.area).order_by("-layer", "name")
    failure = ""
    if request.method == "POST":
        model = models.filter(pk=parse_int(request.POST.get("model"))).first()
        kinds = [kind for kind in _KINDS if kind in request.POST.getlist("kinds")]
        if model and {"tables", "columns"} & set(kinds):
            try:
                job = passes.start(
                    area=request.area,
                    person=request.user,
                    model=model,
                    kinds=kinds,
                    only_missing=request.POST.get("names") != "all",
                    direction="physical" if request.POST.get("direction") == "physical" else "business",
                )
            except PassError as error:
                failure = str(error)
            else:
                return redirect("jobs:page", request.area.slug, job.pk)
        else:
            failure = "Choose a model, and tables or columns or both."
    found = list(
        NamingPass.objects.filter(model__area=request.area).select_related("model", "made_by", "change_set")[:30]
    )
    counts = passes.counts(found)
    context = {
        "passes": [{"pass": one, "counts": counts[one.pk]} for one in found],
        "models": models,
        "failure": failure,
        "standards": standards.names_by_model(request.area),
    }
    return render(request, "naming/passes.html", context, status=422 if failure else 200)


@require_GET
@in_area(Role.READER)
def pass_page(request: AreaRequest, pk: int) -> HttpResponse:
    """The decisions of a pass: one row for a word, the ones that touch most names first."""
    naming_pass = _pass(request, pk)
    state_order = Case(
        When(state="open", then=Value(0)),
        When(state="left", then=Value(1)),
        default=Value(2),
        output_field=IntegerField(),
    )
    words = list(naming_pass.words.annotate(rank=state_order).order_by("rank", "-count", "short")[:_DECISIONS])
    context = _shared(naming_pass) | {
        "decisions": _decisions(naming_pass, words),
        "more": max(0, naming_pass.words.count() - len(words)),
    }
    return render(request, "naming/pass.html", context)


def _shared(naming_pass: NamingPass) -> dict[str, Any]:
    certain = naming_pass.words.filter(state=PassWord.State.OPEN, options__0__1__gte=settling.CERTAIN).count()
    return {
        "pass": naming_pass,
        "counts": passes.counts([naming_pass])[naming_pass.pk],
        "certain": certain,
        "certain_from": settling.CERTAIN,
        "is_open": naming_pass.state == NamingPass.State.OPEN,
    }


def _decisions(naming_pass: NamingPass, words: Sequence[PassWord]) -> list[dict[str, Any]]:
    """Return what the decisions on words show; one query for the names of all."""
    effects = passes.first_names(naming_pass, [one.short for one in words], _EFFECTS)
    found = []
    for asked in words:
        likeliest = asked.options[0] if asked.options else None
        why = "; ".join(likeliest[2]) if likeliest else ""
        names = effects.get(asked.short, [])
        found.append({
            "asked": asked, "effects": names, "rest": max(0, asked.count - len(names)), "likeliest": likeliest, "terms": [asked.short],
            "why": f"{why[:1].upper()}{why[1:]}{'' if why.endswith('.') else '.'}",
        })  # fmt: skip
    return found


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def word(request: AreaRequest, pk: int, word_pk: int) -> HttpResponse:
    """One word: where it stands (GET, for the margin); settle it, leave it, or take that back (POST, the decision anew)."""
    naming_pass = _pass(request, pk)
    asked = get_object_or_404(naming_pass.words.select_related("book_word"), pk=word_pk)
    if request.method == "GET":
        names = naming_pass.names.filter(words__contains=[asked.short]).order_by("place")
        context = {
            "pass": naming_pass,
            "asked": asked,
            "company": passes.company(naming_pass, asked.short, _COMPANY)
            if naming_pass.direction == "business"
            else [],
            "names": names[:_WHERE],
            "count": names.count(),
            "shown": _WHERE,
        }
        return render(
            request, "naming/_pass_word.html", context | {"is_open": naming_pass.state == NamingPass.State.OPEN}
        )
    failure, text = "", ""
    try:
        text = _decide(request, naming_pass, asked)
    except PassError as error:
        failure = str(error)
    asked = get_object_or_404(naming_pass.words, pk=word_pk)
    context = _shared(naming_pass) | {
        "d": _decisions(naming_pass, [asked])[0],
        "failure": failure,
        "fragment": True,
        "message": text,
    }
    return render(request, "naming/_decision.html", context, status=422 if failure else 200)


def _decide(request: AreaRequest, naming_pass: NamingPass, asked: PassWord) -> str:
    act = request.POST.get("act", "settle")
    if act == "leave":
        passes.leave(area=request.area, pass_id=naming_pass.pk, short=asked.short)
        return f"{asked.short} is left for later."
    if act == "reopen":
        settling.reopen(area=request.area, person=request.user, pass_id=naming_pass.pk, short=asked.short)
        return f"{asked.short} is open again."
    chosen = request.POST.get("other", "").strip() or request.POST.get("word", "")
    book = wordbooks.own_book(request.area)
    if act == "apart":
        context_words = request.POST.getlist("context_words")
        count = settling.settle_apart(
            area=request.area, person=request.user, pass_id=naming_pass.pk, short=asked.short, word=chosen, context_words=context_words, book=book
        )  # fmt: skip
        return f"{asked.short} is {chosen} beside {', '.join(context_words)}; {count:,} names follow."
    count = settling.settle(
        area=request.area, person=request.user, pass_id=naming_pass.pk, short=asked.short, word=chosen, book=book
    )
    return f"{asked.short} is {chosen}; {count:,} names follow."


@require_POST
@in_area(Role.STEWARD)
def certain(request: AreaRequest, pk: int) -> HttpResponse:
    """Settle all words that are certain enough; of a large pass in the background."""
    if _is_large(request, pk):
        return _in_background(request, pk, "certain words", "Settling the certain words of a pass")
    try:
        count = settling.settle_certain(
            area=request.area, person=request.user, pass_id=pk, book=wordbooks.own_book(request.area)
        )
    except PassError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{count} words are settled. Press u to take them back.")
    return redirect("naming:pass", request.area.slug, pk)


def _is_large(request: AreaRequest, pk: int) -> bool:
    return _pass(request, pk).names.count() > passes.AT_ONCE


def _in_background(request: AreaRequest, pk: int, kind: str, title: str) -> HttpResponse:
    job = jobs.start(area=request.area, kind=kind, title=title, person=request.user, naming_pass=pk)
    return redirect("jobs:page", request.area.slug, job.pk)


@require_GET
@in_area(Role.READER)
def names(request: AreaRequest, pk: int) -> HttpResponse:
    """All names of a pass, before and after."""
    naming_pass = _pass(request, pk)
    found = naming_pass.names.order_by("place")
    text, which = request.GET.get("q", "")[:200].strip(), request.GET.get("which", "")
    if text:
        found = found.filter(place__icontains=text) | found.filter(after__icontains=text)
    if which == "settled":
        found = found.filter(open=[])
    elif which in ("waiting", "unclear"):
        unclear = Q(open__overlap=passes.unclear_words(naming_pass))
        found = found.filter(unclear) if which == "unclear" else found.exclude(open=[]).exclude(unclear)
    elif which == "written":
        found = found.filter(written=True)
    page = Paginator(found, _NAMES_A_PAGE).get_page(request.GET.get("page"))
    kept = request.GET.copy()
    kept.pop("page", None)
    context = _shared(naming_pass) | {"page": page, "q": text, "which": which, "kept": kept.urlencode()}
    return render(request, "naming/names.html", context)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def name(request: AreaRequest, pk: int, name_pk: int) -> HttpResponse:
    """The row of one name: with its fields (GET), or as saved (POST)."""
    naming_pass = _pass(request, pk)
    item = get_object_or_404(naming_pass.names, pk=name_pk)
    context: dict[str, Any] = {"pass": naming_pass, "n": item, "is_open": naming_pass.state == NamingPass.State.OPEN}
    if request.method == "GET":
        return render(request, "naming/_name_row.html", context | {"editing": "cancel" not in request.GET})
    try:
        context["n"] = passes.write_name(
            area=request.area,
            person=request.user,
            pass_id=pk,
            name_id=name_pk,
            after=request.POST.get("after", ""),
            lock="lock" in request.POST,
        )
    except PassError as error:
        refused = {"editing": True, "failure": str(error), "typed": request.POST.get("after", "")}
        return render(request, "naming/_name_row.html", context | refused, status=422)
    return render(request, "naming/_name_row.html", context)


@require_POST
@in_area(Role.STEWARD)
def apply(request: AreaRequest, pk: int) -> HttpResponse:
    """Write the settled names into the model, as one change set; of a large pass in the background."""
    if _is_large(request, pk):
        return _in_background(request, pk, "apply pass", "Applying a naming pass")
    try:
        applied = passes.apply(area=request.area, person=request.user, pass_id=pk)
    except (PassError, EditError) as error:
        messages.error(request, str(error))
        return redirect("naming:pass", request.area.slug, pk)
    count = applied.count
    messages.success(request, f"{count:,} name{'s' if count != 1 else ''} applied. Press u to take them back.")
    if applied.taken:
        messages.warning(request, standards.taken_message(applied.taken))
    return redirect("naming:pass", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def discard(request: AreaRequest, pk: int) -> HttpResponse:
    """End a pass without applying it."""
    try:
        passes.discard(area=request.area, pass_id=pk)
    except PassError as error:
        messages.error(request, str(error))
    return redirect("naming:passes", request.area.slug)


def _pass(request: AreaRequest, pk: int) -> NamingPass:
    found = NamingPass.objects.select_related("model", "made_by", "change_set")
    return get_object_or_404(found, pk=pk, model__area=request.area)
