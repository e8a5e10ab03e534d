"""Pages of the place Editions."""

from __future__ import annotations

from csp.constants import SELF
from csp.decorators import csp_replace
from django.contrib import messages
from django.http import HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.clickjacking import xframe_options_sameorigin
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.editions import services
from indexa.editions.forms import EditionForm, ShareForm
from indexa.editions.models import Edition, ReadingLink
from indexa.editions.serving import serve_file, serve_zip
from indexa.store.models import Layer, StoredModel


@require_GET
@in_area(Role.READER)
def edition_list(request: AreaRequest) -> HttpResponse:
    """All editions, drafts first."""
    editions = Edition.objects.filter(area=request.area).select_related("made_by", "published_by", "job")
    context = {
        "drafts": [edition for edition in editions if edition.state != Edition.State.PUBLISHED],
        "published": [edition for edition in editions if edition.state == Edition.State.PUBLISHED],
        "has_models": StoredModel.objects.filter(area=request.area).exists(),
    }
    return render(request, "editions/list.html", context)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def new(request: AreaRequest) -> HttpResponse:
    """Choose what goes into an edition; posting it has the draft made."""
    physical = StoredModel.objects.filter(area=request.area, layer=Layer.PHYSICAL)
    initial = {"title": f"{request.area.name} data dictionary", "models": [model.pk for model in physical]}
    form = EditionForm(request.POST or None, area=request.area, initial=initial)
    if request.method == "POST" and form.is_valid():
        _, job = services.prepare(
            area=request.area,
            person=request.user,
            title=form.cleaned_data["title"],
            note=form.cleaned_data["note"],
            models=[model.pk for model in form.cleaned_data["models"]],
            contents=form.contents(),
        )
        return redirect("jobs:page", request.area.slug, job.pk)
    return render(request, "editions/new.html", {"form": form}, status=422 if form.errors else 200)


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """A draft to look through, or an edition with its reading links."""
    return _show(request, _edition(request, pk))


@require_POST
@in_area(Role.APPROVER)
def publish(request: AreaRequest, pk: int) -> HttpResponse:
    """Sign a draft off."""
    _edition(request, pk)
    try:
        edition = services.publish(edition_id=pk, area=request.area, person=request.user)
        messages.success(request, f"Edition {edition.number} is published.")
    except services.EditionError as error:
        messages.error(request, str(error))
    return redirect("editions:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def discard(request: AreaRequest, pk: int) -> HttpResponse:
    """Delete a draft."""
    _edition(request, pk)
    try:
        services.discard(edition_id=pk, area=request.area)
    except services.EditionError as error:
        messages.error(request, str(error))
        return redirect("editions:page", request.area.slug, pk)
    messages.success(request, "The draft is discarded.")
    return redirect("editions:list", request.area.slug)


@require_POST
@in_area(Role.STEWARD)
def share(request: AreaRequest, pk: int) -> HttpResponse:
    """Make a reading link and show it in this answer only: kept nowhere, it can't be read out of a session."""
    edition = _edition(request, pk)
    form = ShareForm(request.POST)
    if form.is_valid():
        try:
            token = services.share(edition=edition, person=request.user, label=form.cleaned_data["label"])
        except services.EditionError as error:
            messages.error(request, str(error))
        else:
            address = request.build_absolute_uri(reverse("reading-link", args=[token]))
            return _show(request, edition, new_link=address)
    else:
        messages.error(request, "Say for whom the link is.")
    return redirect("editions:page", request.area.slug, pk)


@require_POST
@in_area(Role.STEWARD)
def revoke(request: AreaRequest, pk: int, link: int) -> HttpResponse:
    """End a reading link."""
    found = get_object_or_404(ReadingLink, pk=link, edition_id=pk, edition__area=request.area)
    services.revoke(found)
    messages.success(request, f"The link for {found.label} no longer opens the edition.")
    return redirect("editions:page", request.area.slug, pk)


@require_GET
@in_area(Role.READER)
def download(request: AreaRequest, pk: int) -> HttpResponseBase:
    """All pages as a zip."""
    return serve_zip(_edition(request, pk))


@require_GET
@xframe_options_sameorigin
@csp_replace({"frame-ancestors": [SELF]})
@in_area(Role.READER)
def read(request: AreaRequest, pk: int, path: str = "") -> HttpResponse:
    """One page of a draft or edition, for members."""
    return serve_file(request, _edition(request, pk), path)


def _show(request: AreaRequest, edition: Edition, new_link: str = "") -> HttpResponse:
    context = {
        "edition": edition,
        "links": edition.reading_links.select_related("made_by"),
        "form": ShareForm(),
        "new_link": new_link,
    }
    response = render(request, "editions/page.html", context)
    if new_link:
        response["Cache-Control"] = "no-store"
    return response


def _edition(request: AreaRequest, pk: int) -> Edition:
    return get_object_or_404(Edition.objects.select_related("made_by", "published_by", "job"), pk=pk, area=request.area)
