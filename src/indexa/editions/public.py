"""What people without an account see: an edition, by a reading link that was not revoked and has not ended."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from indexa.editions.models import ReadingLink
from indexa.editions.services import count_opening
from indexa.editions.serving import serve_file


@require_GET
def read_edition(request: HttpRequest, token: str, path: str = "") -> HttpResponse:
    """One file of the edition that the token opens. Who had a link that was revoked is told so; a wrong one is not there."""
    links = ReadingLink.objects.select_related("edition", "made_by")
    link = links.filter(token_hash=ReadingLink.hash_of(token)).first()
    if link is None:
        raise Http404("No such reading link.")
    if link.revoked_at is not None or (link.ends_at is not None and link.ends_at < timezone.now()):
        return render(request, "editions/revoked.html", {"link": link}, status=410)
    response = serve_file(request, link.edition, path)
    if path in ("", "index.html"):
        count_opening(link)
    response["Referrer-Policy"] = "no-referrer"
    response["Cache-Control"] = "private, no-cache"
    return response
