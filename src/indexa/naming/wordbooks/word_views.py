"""The wordbook: finding, reading and changing words, lists in and out."""

from __future__ import annotations

import tempfile
from pathlib import Path

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import Count
from django.http import Http404, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.adapters.errors import SourceError
from indexa.adapters.wordbook_files import read_wordbook
from indexa.areas.models import Person, Role
from indexa.areas.policies import AreaRequest, in_area, require
from indexa.naming.errors import WordError
from indexa.naming.wordbooks import exports
from indexa.naming.wordbooks import mining as finding_words
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord, TermIssue, Wordbook
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int, parse_ints

_WORDS_A_PAGE = 50
_LARGEST_LIST = 20 * 1024 * 1024
_NOTES_SHOWN = 200


@require_GET
@in_area(Role.READER)
def wordbook(request: AreaRequest) -> HttpResponse:
    """The words of all wordbooks of the area, with what is asked for."""
    text, status = request.GET.get("q", "")[:200], request.GET.get("status", "")
    book = parse_int(request.GET.get("book"))
    page = Paginator(wordbooks.find(request.area, text, status, book), _WORDS_A_PAGE).get_page(request.GET.get("page"))
    words = list(page.object_list)
    uses, doubles = wordbooks.uses(request.area, words), wordbooks.doubles(request.area, words)
    kept = request.GET.copy()
    kept.pop("page", None)
    context = {
        "rows": [{"word": one, "uses": uses[one.pk], "doubles": doubles.get(one.pk, [])} for one in words],
        "page": page,
        "kept": kept.urlencode(),
        "q": text,
        "status": status,
        "book": book,
        "books": wordbooks.books_of(request.area),
        "statuses": BookWord.Status.choices,
        "by_status": _by_status(request),
        "models": StoredModel.objects.filter(area=request.area, layer="physical"),
        "any": bool(words) or BookWord.objects.filter(wordbook__uses__area=request.area).exists(),
        "proposed": page.paginator.count if status == BookWord.Status.PROPOSED else 0,
        "doubtful": TermIssue.objects.filter(area=request.area, state=TermIssue.State.OPEN).count(),
    }
    return render(request, "naming/wordbook.html", context)


def _by_status(request: AreaRequest) -> list[tuple[str, str, int]]:
    """Return each status with its label and how many words of the area's wordbooks have it."""
    found = BookWord.objects.filter(wordbook__in=wordbooks.books_of(request.area)).values_list("status")
    counts = dict(found.annotate(count=Count("pk")))
    return [(value, label, counts.get(value, 0)) for value, label in BookWord.Status.choices]


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def word(request: AreaRequest, pk: int | None = None) -> HttpResponse:
    """The margin of one word, or of a new one; posting it saves."""
    found = BookWord.objects.select_related("wordbook", "owner", "changed_by")
    item = get_object_or_404(found, pk=pk, wordbook__uses__area=request.area) if pk else None
    borrowed = item is not None and item.wordbook.area_id != request.area.pk
    may_write = request.role >= Role.STEWARD and not borrowed
    if item is None:
        require(request.user, request.area, Role.STEWARD)
    context: dict[str, object] = {"item": item, "values": _values(request, item), "failure": ""}
    saved = None
    if request.method == "POST":
        try:
            saved = _save(request, item)
        except WordError as error:
            context["failure"] = str(error)
        else:
            context |= {
                "item": saved,
                "values": _values(request, saved, from_form=False),
                "message": f"“{saved.word}” is saved.",
            }
    shown = saved or item
    context |= {
        "books": [book for book in wordbooks.books_of(request.area) if book.area_id == request.area.pk],
        "borrowed": borrowed,
        "statuses": BookWord.Status.choices,
        "people": Person.objects.filter(memberships__area=request.area).order_by("first_name", "username"),
        "uses": wordbooks.uses(request.area, [shown])[shown.pk] if shown else 0,
        "doubles": wordbooks.doubles(request.area, [shown]).get(shown.pk, []) if shown else [],
        "places": exports.places_of(request.area, shown) if shown else [],
        "may_write": may_write,
    }
    response = render(request, "naming/_word.html", context, status=422 if context["failure"] else 200)
    if saved:
        response["HX-Trigger"] = "rows-changed"
    return response


def _values(request: AreaRequest, item: BookWord | None, *, from_form: bool = True) -> dict[str, object]:
    if request.method == "POST" and from_form:
        return {
            name: request.POST.get(name, "")
            for name in ("word", "abbreviations", "context_words", "status", "meaning", "owner", "book")
        }
    if item is None:
        return {
            "status": BookWord.Status.AGREED,
            "word": request.GET.get("word", ""),
            "abbreviations": request.GET.get("short", ""),
        }
    return {
        "word": item.word, "abbreviations": " ".join(item.abbreviations), "context_words": " ".join(item.context_words), "status": item.status,
        "meaning": item.meaning, "owner": item.owner_id or "", "book": item.wordbook_id,
    }  # fmt: skip


def _save(request: AreaRequest, item: BookWord | None) -> BookWord:
    owner = Person.objects.filter(pk=parse_int(request.POST.get("owner")), memberships__area=request.area).first()
    return wordbooks.save(
        area=request.area,
        person=request.user,
        word_id=item.pk if item else None,
        book_id=parse_int(request.POST.get("book")),
        word=request.POST.get("word", ""),
        abbreviations=wordbooks.abbreviations_from(request.POST.get("abbreviations", "")),
        context_words=wordbooks.abbreviations_from(request.POST.get("context_words", "")),
        status=request.POST.get("status", ""),
        meaning=request.POST.get("meaning", ""),
        owner=owner,
    )


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def word_row(request: AreaRequest, pk: int) -> HttpResponse:
    """The row of a word in the grid: with its fields (GET), or as saved (POST)."""
    item = get_object_or_404(BookWord.objects.select_related("wordbook", "owner"), pk=pk, wordbook__area=request.area)
    context: dict[str, object] = {
        "statuses": BookWord.Status.choices,
        "books": wordbooks.books_of(request.area),
        "editing": request.method == "GET" and "cancel" not in request.GET,
    }
    if request.method == "POST":
        try:
            item = wordbooks.save(
                area=request.area,
                person=request.user,
                word_id=pk,
                book_id=item.wordbook_id,
                word=request.POST.get("word", ""),
                abbreviations=wordbooks.abbreviations_from(request.POST.get("abbreviations", "")),
                context_words=item.context_words,
                status=request.POST.get("status", ""),
                meaning=request.POST.get("meaning", ""),
                owner=item.owner,
            )
        except WordError as error:
            context |= {"editing": True, "failure": str(error), "typed": request.POST}
    context["row"] = {
        "word": item,
        "uses": wordbooks.uses(request.area, [item])[item.pk],
        "doubles": wordbooks.doubles(request.area, [item]).get(item.pk, []),
    }
    return render(request, "naming/_word_row.html", context, status=422 if context.get("failure") else 200)


@require_POST
@in_area(Role.STEWARD)
def agree_all(request: AreaRequest) -> HttpResponse:
    """Agree to all proposed words that the filter shows, as one change."""
    kept = QueryDict(request.POST.get("kept", "")[:2_000])
    found = wordbooks.find(request.area, kept.get("q", "")[:200], BookWord.Status.PROPOSED, parse_int(kept.get("book")))
    count = wordbooks.set_status(
        area=request.area, person=request.user, word_ids=list(found.values_list("pk", flat=True)), status="agreed"
    )
    messages.success(request, f"{count:,} word{'s' if count != 1 else ''} agreed. Press u to undo.")
    return redirect("naming:wordbook", request.area.slug)


@require_POST
@in_area(Role.STEWARD)
def merge(request: AreaRequest, pk: int) -> HttpResponse:
    """Merge another word into this one."""
    try:
        kept = wordbooks.merge(
            area=request.area, person=request.user, keep_id=pk, drop_id=parse_int(request.POST.get("drop"))
        )
    except WordError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"Merged into “{kept.word}”.")
    return redirect("naming:wordbook", request.area.slug)


@require_POST
@in_area(Role.STEWARD)
def find_words(request: AreaRequest) -> HttpResponse:
    """Start finding words in models."""
    models = list(StoredModel.objects.filter(area=request.area, pk__in=parse_ints(request.POST.getlist("models"))))
    if not models:
        messages.error(request, "Choose at least one model.")
        return redirect("naming:wordbook", request.area.slug)
    job = finding_words.start(
        area=request.area, person=request.user, models=models, book=wordbooks.own_book(request.area)
    )
    return redirect("jobs:page", request.area.slug, job.pk)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def take_in(request: AreaRequest) -> HttpResponse:
    """Take a two-column list into a wordbook, and tell what was doubled, ambiguous or left out."""
    own = [book for book in wordbooks.books_of(request.area) if book.area_id == request.area.pk]
    context: dict[str, object] = {"books": own, "largest": _LARGEST_LIST // 1024 // 1024}
    if request.method == "POST":
        uploaded = request.FILES.get("list")
        book = Wordbook.objects.filter(area=request.area, pk=parse_int(request.POST.get("book"))).first()
        if name := " ".join(request.POST.get("new_book", "").split())[:80]:
            book = wordbooks.make_book(request.area, name)
        if uploaded is None or book is None:
            context["failure"] = "Choose a file, and the wordbook it goes into."
        elif (uploaded.size or 0) > _LARGEST_LIST:
            context["failure"] = f"The file is larger than {context['largest']} MB. Split it."
        else:
            with tempfile.NamedTemporaryFile() as file:
                for chunk in uploaded.chunks():
                    file.write(chunk)
                file.flush()
                try:
                    reading = read_wordbook(uploaded.name or "list", Path(file.name))
                except SourceError as error:
                    context["failure"] = f"{error.message} {error.hint}"
                else:
                    new, changed = wordbooks.take_in(book=book, person=request.user, reading=reading)
                    context |= {
                        "done": True, "new": new, "changed": changed, "book": book, "notes": reading.notes[:_NOTES_SHOWN],
                        "more": max(0, len(reading.notes) - _NOTES_SHOWN), "short_first": reading.short_first,
                    }  # fmt: skip
    return render(request, "naming/import.html", context, status=422 if context.get("failure") else 200)


@require_GET
@in_area(Role.READER)
def export(request: AreaRequest, kind: str) -> HttpResponse:
    """The wordbooks of the area as a file."""
    if kind not in exports.KINDS:
        raise Http404("There is no such kind of file.")
    found = wordbooks.find(
        request.area,
        request.GET.get("q", "")[:200],
        request.GET.get("status", ""),
        parse_int(request.GET.get("book")),
    )
    media_type, write = exports.KINDS[kind]
    response = HttpResponse(write(request.area, found), content_type=media_type)
    name = f"wordbook-{request.area.slug}-{timezone.now():%Y-%m-%d}.{kind}"
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
