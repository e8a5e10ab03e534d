"""The files of an object, in its margin: attached, downloaded, deleted."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_http_methods

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.attaching import services
from indexa.attaching.models import Attachment
from indexa.describing import subjects
from indexa.store.errors import EditError
from indexa.ui.parameters import parse_int


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def files(request: AreaRequest, target: str, pk: int) -> HttpResponse:
    """The files of an object; by POST one is attached, or (`delete`) deleted."""
    try:
        subjects.label_of(request.area, target, pk)
    except EditError as error:
        raise Http404 from error
    context: dict[str, Any] = {}
    if request.method == "POST":
        try:
            _change(request, target, pk)
        except EditError as error:
            context["failure"] = str(error)
    status = 422 if context else 200
    return render(request, "attaching/_files.html", context | shown(request, target, pk), status=status)


def _change(request: AreaRequest, target: str, pk: int) -> None:
    if "delete" in request.POST:
        found = Attachment.objects.filter(area=request.area, target=target, object_id=pk)
        attachment = get_object_or_404(found, pk=parse_int(request.POST["delete"]))
        services.delete(area=request.area, person=request.user, attachment=attachment)
        return
    file = request.FILES.get("file")
    if file is None:
        raise EditError("Choose a file first.")
    services.attach(area=request.area, person=request.user, target=target, object_id=pk, file=file)


def shown(request: HttpRequest, target: str, pk: int) -> dict[str, Any]:
    """Return what the section of an object needs."""
    area = request.area  # type: ignore[attr-defined]
    return {
        "files": Attachment.objects.filter(area=area, target=target, object_id=pk).select_related("by"),
        "section": f"files-{target}-{pk}", "endings": ",".join(f".{one}" for one in services.TYPES),
        "url": reverse("attaching:files", args=[area.slug, target, pk]), "largest": services.LARGEST,
    }  # fmt: skip


@require_GET
@in_area(Role.READER)
def download(request: AreaRequest, pk: int) -> HttpResponse:
    """A file, always to be saved: no browser shows it as a page."""
    attachment = get_object_or_404(Attachment, pk=pk, area=request.area)
    response = HttpResponse(services.content_of(attachment), content_type=attachment.media_type)
    response.headers["Content-Disposition"] = content_disposition_header(True, attachment.name) or "attachment"
    response.headers["X-Content-Type-Options"] = "nosniff"
    return response
