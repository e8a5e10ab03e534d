"""Choosing what goes into an edition: for a new one, for a draft with its preview beside, and what templates and covers keep."""

from __future__ import annotations

from typing import Any

import msgspec
from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from indexa.adapters.errors import SourceError
from indexa.adapters.logos import LARGEST, logo_of
from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.core.edition.starters import REVIEW_OF_A_CHANGE
from indexa.editions import composing, services
from indexa.editions.choices import Choices, choices_of
from indexa.editions.forms import EditionForm
from indexa.editions.models import CoverLogo, Edition, EditionTemplate
from indexa.store.models import Layer, StoredModel
from indexa.ui.parameters import parse_int, parse_ints


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def new(request: AreaRequest) -> HttpResponse:
    """Choose what goes into an edition; posting it has the draft made."""
    templates = composing.templates(request.area)
    scripts = parse_ints(request.GET.getlist("script"))
    wanted = parse_int(request.GET.get("template"))
    fitting = (
        one for one in templates if (one.name == REVIEW_OF_A_CHANGE if scripts and not wanted else one.pk == wanted)
    )
    template = next(fitting, templates[0])
    physical = StoredModel.objects.filter(area=request.area, layer=Layer.PHYSICAL).values_list("pk", flat=True)
    choices = msgspec.structs.replace(choices_of(template.choices), models=list(physical), scripts=scripts)
    form = _form(request, f"{request.area.name} data dictionary", "", choices)
    if request.method == "POST" and form.is_valid():
        try:
            with transaction.atomic():
                _, job = services.prepare(area=request.area, person=request.user, **_given(request, form))
            return redirect("jobs:page", request.area.slug, job.pk)
        except services.EditionError as error:
            form.add_error("text", str(error))
    context = {"form": form, "templates": templates, "template": template}
    return render(request, "editions/new.html", context, status=422 if form.errors else 200)


@require_http_methods(["GET", "POST"])
@in_area(Role.STEWARD)
def change(request: AreaRequest, pk: int) -> HttpResponse:
    """Change the choices of a draft, with its pages beside them; posting has it made again."""
    found = Edition.objects.select_related("job", "area")
    edition = services.settled(get_object_or_404(found, pk=pk, area=request.area))
    if not services.can_change(edition):
        messages.error(request, "Only a draft can be changed. Return it first if it is in review.")
        return redirect("editions:page", request.area.slug, pk)
    form = _form(request, edition.title, edition.note, choices_of(edition.content))
    if request.method == "POST" and form.is_valid():
        try:
            with transaction.atomic():
                given = _given(request, form)
                job = services.change(edition_id=pk, area=request.area, person=request.user, **given)
            return redirect("jobs:page", request.area.slug, job.pk)
        except services.EditionError as error:
            form.add_error("text", str(error))
    context = {"form": form, "edition": edition}
    return render(request, "editions/choices.html", context, status=422 if form.errors else 200)


def _form(request: AreaRequest, title: str, note: str, choices: Choices) -> EditionForm:
    initial: dict[str, Any] = {"title": title, "note": note} | msgspec.to_builtins(choices)
    initial |= initial.pop("contents")
    initial |= {"text": composing.shown_names(choices.text), "schemas": ", ".join(choices.schemas)}
    return EditionForm(request.POST or None, area=request.area, person=request.user, initial=initial)


def _given(request: AreaRequest, form: EditionForm) -> dict[str, Any]:
    """Return title, note and choices as the form has them; keeps them as a template if that is wanted. Raises EditionError."""
    given = form.cleaned_data
    choices = form.choices(composing.keep_names(request.area, given["text"]))
    if given["template_name_to_keep"]:
        composing.save_template(area=request.area, name=given["template_name_to_keep"], purpose="", choices=choices)
    return {"title": given["title"], "note": given["note"], "choices": choices}


@require_POST
@in_area(Role.STEWARD)
def remove_template(request: AreaRequest, pk: int) -> HttpResponse:
    """Delete a template; editions that were made from it stay as they are."""
    found = get_object_or_404(EditionTemplate, pk=pk, area=request.area)
    found.delete()
    messages.success(request, f"The template {found.name} is deleted.")
    return redirect("editions:new", request.area.slug)


@require_POST
@in_area(Role.ADMINISTRATOR)
def logo(request: AreaRequest) -> HttpResponse:
    """Keep a picture for the covers of the area's editions, or delete it."""
    file = request.FILES.get("logo")
    if "delete" in request.POST:
        CoverLogo.objects.filter(area=request.area).delete()
        messages.success(request, "The logo is deleted. Editions that have it keep it.")
    elif file is None:
        messages.error(request, "Choose a picture first: PNG or JPEG.")
    else:
        try:
            read = logo_of(file.read(LARGEST + 1))
        except SourceError as error:
            messages.error(request, f"{error.message} {error.hint}")
        else:
            CoverLogo.objects.update_or_create(
                area=request.area, defaults={"content": read.content, "by": request.user}
            )
            messages.success(request, "The logo is saved. Drafts have it once they are made again.")
    return redirect("editions:list", request.area.slug)
