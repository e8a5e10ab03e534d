"""What people without an account see: an edition by a reading link, and the editions that an area lists openly."""

from __future__ import annotations

import datetime as dt

from django.conf import settings
from django.contrib.auth.hashers import check_password
from django.core.signing import BadSignature, Signer
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.feedgenerator import Atom1Feed
from django.views.decorators.http import require_GET, require_http_methods

from indexa.areas.models import Area
from indexa.editions.models import Edition, ReadingLink
from indexa.editions.services import count_opening
from indexa.editions.serving import serve_file

MOST_TRIES = 8
"""Wrong passphrases of a link before it waits."""
WAIT = dt.timedelta(minutes=15)
_SHOWN = (Edition.State.PUBLISHED, Edition.State.SUPERSEDED)
_COOKIE_HOURS = 12


@require_http_methods(["GET", "POST"])
def read_edition(request: HttpRequest, token: str, path: str = "") -> HttpResponse:
    """One file of the edition that the token opens. Who had a link that was revoked is told so; a wrong one is not there."""
    links = ReadingLink.objects.select_related("edition", "made_by")
    link = links.filter(token_hash=ReadingLink.hash_of(token)).first()
    if link is None:
        raise Http404("No such reading link.")
    if link.revoked_at is not None or (link.ends_at is not None and link.ends_at < timezone.now()):
        return render(request, "editions/revoked.html", {"link": link}, status=410)
    if link.passphrase and not _knows(request, link):
        return _ask(request, link)
    if request.method == "POST":
        return redirect("reading-link", token)
    response = serve_file(request, link.edition, path)
    if path in ("", "index.html"):
        count_opening(link)
    return _private(response)


def _private(response: HttpResponse) -> HttpResponse:
    response["Referrer-Policy"] = "no-referrer"
    response["Cache-Control"] = "private, no-cache"
    return response


def _knows(request: HttpRequest, link: ReadingLink) -> bool:
    """Return whether the passphrase was given in this browser before, and is the same still."""
    try:
        kept = Signer(salt="reading link").unsign(request.COOKIES.get(_cookie(link), ""))
    except BadSignature:
        return False
    return kept == _sign(link)


def _cookie(link: ReadingLink) -> str:
    return f"reading-{link.pk}"


def _sign(link: ReadingLink) -> str:
    return f"{link.pk} {link.passphrase[-24:]}"


def _ask(request: HttpRequest, link: ReadingLink) -> HttpResponse:
    """Ask for the passphrase; after too many wrong ones nothing is tried for a while."""
    now = timezone.now()
    is_waiting = link.wrong >= MOST_TRIES and link.wrong_at is not None and now - link.wrong_at < WAIT
    failure = ""
    if request.method == "POST" and not is_waiting:
        if check_password(request.POST.get("passphrase", "")[:200], link.passphrase):
            ReadingLink.objects.filter(pk=link.pk).update(wrong=0)
            response = redirect(request.path)
            response.set_cookie(
                _cookie(link), Signer(salt="reading link").sign(_sign(link)), max_age=_COOKIE_HOURS * 3_600, httponly=True,
                samesite="Lax", secure=settings.TLS, path=request.path,
            )  # fmt: skip
            return response
        fresh = link.wrong_at is None or now - link.wrong_at > WAIT
        link.wrong = 1 if fresh else link.wrong + 1
        ReadingLink.objects.filter(pk=link.pk).update(wrong=link.wrong, wrong_at=now)
        failure = "That is not the passphrase."
    if is_waiting:
        failure = "Too many wrong passphrases. Try again in a quarter of an hour."
    context = {"link": link, "failure": failure, "is_waiting": is_waiting}
    return _private(
        render(request, "editions/passphrase.html", context, status=429 if is_waiting else 401 if failure else 200)
    )


def _open_area(slug: str) -> Area:
    return get_object_or_404(Area, slug=slug, signing_rule__lists_openly=True)


@require_GET
def open_list(request: HttpRequest, slug: str) -> HttpResponse:
    """The published editions of an area that lists them openly."""
    area = _open_area(slug)
    editions = Edition.objects.filter(area=area, state__in=_SHOWN).order_by("-number")
    return render(request, "editions/open.html", {"area": area, "editions": editions})


@require_GET
def open_edition(request: HttpRequest, slug: str, number: int, path: str = "") -> HttpResponse:
    """One file of an edition that is listed openly."""
    edition = get_object_or_404(Edition, area=_open_area(slug), number=number, state__in=_SHOWN)
    return serve_file(request, edition, path)


@require_GET
def open_feed(request: HttpRequest, slug: str) -> HttpResponse:
    """The editions of an area that lists them openly, for a feed reader."""
    area = _open_area(slug)
    address = settings.ADDRESS + reverse("open-editions", args=[slug])
    feed = Atom1Feed(
        title=f"Editions of {area.name}", link=address, description="", feed_url=request.build_absolute_uri()
    )
    for one in Edition.objects.filter(area=area, state__in=_SHOWN).order_by("-number")[:50]:
        link = settings.ADDRESS + reverse("open-edition", args=[slug, one.number])
        feed.add_item(
            title=f"{one.title}, edition {one.number}", link=link, description=one.note, unique_id=link, pubdate=one.published_at,
            updateddate=one.published_at,
        )  # fmt: skip
    return HttpResponse(feed.writeString("utf-8"), content_type="application/atom+xml; charset=utf-8")
