"""Wordbook order, and the words that are in doubt."""

from __future__ import annotations

from django.contrib import messages
from django.db.models import Count, Q
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.naming.errors import WordError
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks import term_issues
from indexa.naming.wordbooks.models import BookWord, TermIssue
from indexa.ui.parameters import parse_int

_DOUBTS = 300


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def book_list(request: AreaRequest) -> HttpResponse:
    """The area's stack of wordbooks; posting makes, moves, renames, adds or removes one."""
    if request.method == "POST":
        try:
            _change(request)
        except WordError as error:
            messages.error(request, str(error))
        return redirect("naming:books", request.area.slug)
    books = wordbooks.books_of(request.area)
    counts = {
        row["wordbook"]: row
        for row in BookWord.objects.filter(wordbook__in=books)
        .values("wordbook")
        .annotate(
            agreed=Count("pk", filter=Q(status="agreed")),
            proposed=Count("pk", filter=Q(status="proposed")),
            retired=Count("pk", filter=Q(status="retired")),
        )
    }
    context = {
        "rows": [
            {"book": book, "counts": counts.get(book.pk, {}), "own": book.area_id == request.area.pk} for book in books
        ],
        "usable": wordbooks.usable(request.area, request.user),
    }
    return render(request, "naming/books.html", context)


def _change(request: AreaRequest) -> None:
    act, book_id, name = request.POST.get("act"), parse_int(request.POST.get("book")), request.POST.get("name", "")
    if act in ("up", "down"):
        wordbooks.move(area=request.area, book_id=book_id, by=-1 if act == "up" else 1)
    elif act == "new":
        if not name.strip():
            raise WordError("Give the wordbook a name.")
        made = wordbooks.make_book(request.area, name)
        messages.success(request, f"{made.name} is in the order.")
    elif act == "rename":
        wordbooks.rename_book(area=request.area, book_id=book_id, name=name)
    elif act == "use":
        used = wordbooks.use(area=request.area, person=request.user, book_id=book_id)
        messages.success(request, f"{used.name} of {used.area.name} is used here, below the others.")
    elif act == "remove":
        messages.success(request, f"{wordbooks.remove(area=request.area, book_id=book_id)} is removed from the order.")


@require_GET
@in_area(Role.READER)
def doubt_list(request: AreaRequest) -> HttpResponse:
    """Words in doubt, by their kind, those that stand in most names first."""
    found = TermIssue.objects.filter(area=request.area, state=TermIssue.State.OPEN)
    context = {"doubts": found[:_DOUBTS], "total": found.count()}
    return render(request, "naming/term_issues.html", context)


@require_POST
@in_area(Role.STEWARD)
def issue(request: AreaRequest, pk: int) -> HttpResponse:
    """Decide a doubt; the row tells what became of it."""
    try:
        decided, text = term_issues.decide(
            area=request.area, person=request.user, doubt_id=pk, act=request.POST.get("act", "")
        )
    except WordError as error:
        found = TermIssue.objects.filter(area=request.area, pk=pk).first()
        return render(request, "naming/_term_issue.html", {"d": found, "failure": str(error)}, status=422)
    return render(request, "naming/_term_issue.html", {"d": decided, "message": text})
