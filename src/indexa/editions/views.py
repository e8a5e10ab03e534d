"""Pages of the place Editions."""

from __future__ import annotations

import re

from csp.constants import SELF
from csp.decorators import csp_replace
from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.clickjacking import xframe_options_sameorigin
from django.views.decorators.http import require_GET, require_POST

from indexa.adapters.documents import FORMS, OPEN_FORMS, Form
from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.edition.book import book_of
from indexa.editions import services
from indexa.editions.building import MOST_MENTIONS, OUT, State, between, imprint_of, thawed
from indexa.editions.choices import choices_of
from indexa.editions.discussing import with_addresses, with_objects
from indexa.editions.forms import ShareForm
from indexa.editions.models import CoverLogo, Destination, Edition, ReadingLink, SigningRule
from indexa.editions.serving import serve_file, serve_zip
from indexa.store.models import StoredModel
from indexa.ui.parameters import parse_int, parse_ints

_CHANGES_A_PAGE = 200


@require_GET
@in_area(Role.READER)
def edition_list(request: AreaRequest) -> HttpResponse:
    """All editions, drafts first."""
    found = Edition.objects.filter(area=request.area).select_related("made_by", "published_by", "job")
    editions = [services.settled(one) for one in found]
    context = {
        "drafts": [edition for edition in editions if edition.state not in OUT],
        "published": [edition for edition in editions if edition.state in OUT],
        "signers": services.approvals_wanted(request.area),
        "lists_openly": SigningRule.objects.filter(area=request.area, lists_openly=True).exists(),
        "has_models": StoredModel.objects.filter(area=request.area).exists(),
        "has_logo": CoverLogo.objects.filter(area=request.area).exists(),
    }
    return render(request, "editions/list.html", context)


@require_GET
@in_area(Role.READER)
def page(request: AreaRequest, pk: int) -> HttpResponse:
    """A draft to look through, or an edition with its reading links."""
    return _show(request, _edition(request, pk))


@require_POST
@in_area(Role.STEWARD)
def ask(request: AreaRequest, pk: int) -> HttpResponse:
    """Send a draft to people by name, who sign it off or return it."""
    _edition(request, pk)
    try:
        people = parse_ints(request.POST.getlist("people"))
        services.ask(edition_id=pk, area=request.area, person=request.user, people=people)
        messages.success(request, "Those you chose are asked to sign it off.")
    except services.EditionError as error:
        messages.error(request, str(error))
    return redirect("editions:page", request.area.slug, pk)


@require_POST
@in_area(Role.APPROVER)
def decide(request: AreaRequest, pk: int) -> HttpResponse:
    """Sign an edition off, or return it with a reason."""
    _edition(request, pk)
    approve = request.POST.get("act") == "approve"
    try:
        services.decide(
            edition_id=pk, area=request.area, person=request.user, approve=approve, note=request.POST.get("note", "")
        )
        messages.success(request, "You signed it." if approve else "It is returned.")
    except services.EditionError as error:
        messages.error(request, str(error))
    return redirect("editions:page", request.area.slug, pk)


@require_POST
@in_area(Role.APPROVER)
def publish(request: AreaRequest, pk: int) -> HttpResponse:
    """Have what was signed off published."""
    _edition(request, pk)
    try:
        job = services.publish(edition_id=pk, area=request.area, person=request.user)
    except services.EditionError as error:
        messages.error(request, str(error))
        return redirect("editions:page", request.area.slug, pk)
    return redirect("jobs:page", request.area.slug, job.pk)


@require_POST
@in_area(Role.APPROVER)
def withdraw(request: AreaRequest, pk: int) -> HttpResponse:
    """Take a published edition back."""
    _edition(request, pk)
    try:
        services.withdraw(edition_id=pk, area=request.area, person=request.user, reason=request.POST.get("reason", ""))
        messages.success(request, "It is withdrawn; its reading links are ended.")
    except services.EditionError as error:
        messages.error(request, str(error))
    return redirect("editions:page", request.area.slug, pk)


@require_POST
@in_area(Role.ADMINISTRATOR)
def signing(request: AreaRequest) -> HttpResponse:
    """Say how many people sign an edition of the area."""
    count = min(9, max(0, parse_int(request.POST.get("approvals"))))
    is_open = "lists_openly" in request.POST
    SigningRule.objects.update_or_create(area=request.area, defaults={"approvals": count, "lists_openly": is_open})
    messages.success(request, f"Editions need {count} signature{'' if count == 1 else 's'} from now on.")
    return redirect("editions:list", request.area.slug)


@require_GET
@in_area(Role.READER)
def record(request: AreaRequest, pk: int) -> JsonResponse:
    """The record of an edition: who signed what, and the checksums of all its files."""
    response = JsonResponse(services.record_of(_edition(request, pk)), json_dumps_params={"indent": 2})
    response["Content-Disposition"] = f'attachment; filename="edition-{pk}-record.json"'
    return response


@require_GET
@in_area(Role.READER)
def differences(request: AreaRequest, pk: int) -> HttpResponse:
    """What changed since another edition, in words."""
    edition = _edition(request, pk)
    others = (
        Edition.objects.filter(area=request.area, state__in=OUT, frozen__isnull=False)
        .exclude(pk=pk)
        .order_by("-number")
    )
    earlier = others.filter(number=parse_int(request.GET.get("since"))).first() or edition.follows or others.first()
    book = book_of(thawed(edition), imprint_of(edition))
    found = [] if earlier is None else between(earlier, book)
    page = Paginator(found, _CHANGES_A_PAGE).get_page(request.GET.get("page"))
    context = {
        "edition": edition, "earlier": earlier, "others": others[:50], "page": page, "count": len(found),
        "rows": with_objects(request.area, book, list(page.object_list)),
    }  # fmt: skip
    return render(request, "editions/differences.html", context)


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
            given = form.cleaned_data
            token = services.share(
                edition=edition,
                person=request.user,
                label=given["label"],
                days=given["days"],
                passphrase=given["passphrase"],
            )
        except services.EditionError as error:
            messages.error(request, str(error))
        else:
            address = request.build_absolute_uri(reverse("reading-link", args=[token]))
            return _show(request, edition, new_link=address)
    else:
        messages.error(request, "Say for whom the link is; a passphrase has eight letters or more.")
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


@require_GET
@in_area(Role.READER)
def latest(request: AreaRequest, path: str = "") -> HttpResponse:
    """A page of the latest published edition: the address that stays the same, as catalogs have it."""
    if path.startswith("datasets/"):
        raise Http404
    edition = Edition.objects.filter(area=request.area, state=State.PUBLISHED).order_by("-number").first()
    if edition is None:
        raise Http404("No edition is published.")
    return redirect("editions:read-file", request.area.slug, edition.pk, path or "index.html")


def _documents(edition: Edition) -> list[tuple[Form, list[str]]]:
    """Return each document with its files: one, or several volumes."""
    paths = sorted(
        edition.files.filter(path__startswith="documents/").values_list("path", flat=True),
        key=lambda path: (len(path), path),
    )
    found = []
    for one in FORMS.values():
        stem, _, suffix = one.file_name.partition(".")
        own = re.compile(rf"documents/{stem}(-\d+)?{re.escape('.' + suffix)}")
        found.append((one, [path for path in paths if own.fullmatch(path)]))
    return found


def _show(request: AreaRequest, edition: Edition, new_link: str = "") -> HttpResponse:
    asked = edition.approvals.select_related("person")
    documents = _documents(edition) if edition.state in OUT else []
    open_forms = (
        [(one, f"open/{one.file_name}") for one in OPEN_FORMS.values()] if edition.frozen_id and documents else []
    )
    context = {
        "edition": edition,
        "is_out": edition.state in OUT,
        "can_change": services.can_change(edition),
        "approvals": asked,
        "mentions": [] if edition.state in OUT else with_addresses(request.area, edition.mentions),
        "mentions_end": len(edition.mentions) >= MOST_MENTIONS,
        "mine": next((one for one in asked if one.person_id == request.user.pk and one.state == "asked"), None),
        "signers": services.possible_signers(edition) if edition.state == State.DRAFT else [],
        "wanted": services.approvals_wanted(request.area),
        "documents": documents,
        "open_forms": open_forms,
        "pushes": edition.pushes.select_related("destination", "by")[:10],
        "destinations": Destination.objects.filter(area=request.area) if edition.state == State.PUBLISHED else [],
        "newer": services.changes_since(edition, choices_of(edition.content).models)
        if edition.state == State.PUBLISHED
        else 0,
        "links": edition.reading_links.select_related("made_by"),
        "form": ShareForm(),
        "new_link": new_link,
    }
    response = render(request, "editions/page.html", context)
    if new_link:
        response["Cache-Control"] = "no-store"
    return response


def _edition(request: AreaRequest, pk: int) -> Edition:
    found = Edition.objects.select_related("made_by", "published_by", "job", "follows", "area")
    return services.settled(get_object_or_404(found, pk=pk, area=request.area))
