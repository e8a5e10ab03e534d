"""What can be said in an area, and saying it of one object."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.db.models import Count, Q
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas.models import Membership, Role
from indexa.areas.policies import AreaRequest, in_area, require
from indexa.core.describing.values import FIELD_TYPES
from indexa.describing import aspects, saying
from indexa.describing.models import LEVELS, Aspect, Team
from indexa.store.errors import EditError, StaleEditError
from indexa.ui.parameters import parse_int

_EMPTY_ROWS = 3


@require_GET
@in_area(Role.READER)
def aspect_list(request: AreaRequest) -> HttpResponse:
    """All that can be said in the area, with how often it is said, and the teams."""
    found = Aspect.objects.filter(area=request.area).prefetch_related("values")
    counted = found.annotate(used=Count("assignments", filter=~Q(assignments__value=""))).order_by("position", "pk")
    context = {
        "aspects": counted, "teams": Team.objects.filter(area=request.area).prefetch_related("members"),
        "of_area": shown(request, "area", request.area.pk),
        "may_define": request.role >= Role.APPROVER, "may_add_fields": request.role >= Role.ADMINISTRATOR,
    }  # fmt: skip
    return render(request, "describing/aspects.html", context)


@require_POST
@in_area(Role.APPROVER)
def begin(request: AreaRequest) -> HttpResponse:
    """Let owners, stewards and the starter schemes be said here."""
    aspects.begin(area=request.area, person=request.user)
    return redirect("describing:aspects", request.area.slug)


@require_http_methods(["GET", "POST"])
@in_area(Role.APPROVER)
def aspect_form(request: AreaRequest, pk: int = 0) -> HttpResponse:
    """A scheme or a field: what it is called, what it applies to, and its values as a small sheet."""
    aspect = get_object_or_404(Aspect, pk=pk, area=request.area) if pk else None
    kind = aspect.kind if aspect else request.GET.get("kind", Aspect.Kind.CLASS)
    if kind not in Aspect.Kind.values:
        raise Http404
    if kind == Aspect.Kind.FIELD:
        require(request.user, request.area, Role.ADMINISTRATOR)
    given, failure = _form_of(aspect, kind), ""
    if request.method == "POST":
        given = _form_given(request, kind)
        try:
            made = aspects.save_aspect(
                area=request.area, person=request.user, aspect=aspect, kind=kind, name=given["name"], meaning=given["meaning"],
                type_=given["type"], applies=given["applies"], inherited=given["inherited"], raises=given["raises"],
            )  # fmt: skip
            if made.has_choices:
                aspects.save_values(aspect=made, person=request.user, values=given["values"], default=given["default"])
            messages.success(request, f"{made.name} is saved.")
            return redirect("describing:aspects", request.area.slug)
        except EditError as error:
            failure = str(error)
    context = given | {
        "aspect": aspect, "kind": kind, "kind_label": Aspect.Kind(kind).label, "failure": failure, "levels": LEVELS, "types": FIELD_TYPES,
        "empty_rows": range(_EMPTY_ROWS),
    }  # fmt: skip
    return render(request, "describing/aspect.html", context, status=422 if failure else 200)


def _form_of(aspect: Aspect | None, kind: str) -> dict[str, Any]:
    if aspect is None:
        applies = ["area", "model", "schema", "table", "column"] if kind == Aspect.Kind.CLASS else ["table"]
        return {
            "name": "", "meaning": "", "type": "choice" if kind == Aspect.Kind.CLASS else "text", "applies": applies, "inherited": True,
            "raises": False, "values": [], "default": "",
        }  # fmt: skip
    values = [aspects.GivenValue(one.pk, one.name, one.meaning) for one in aspect.values.all()]
    default = next((one.name for one in aspect.values.all() if one.token == aspect.default_value), "")
    return {
        "name": aspect.name, "meaning": aspect.meaning, "type": aspect.type, "applies": aspect.applies, "inherited": aspect.inherited,
        "raises": aspect.raises, "values": values, "default": default,
    }  # fmt: skip


def _form_given(request: AreaRequest, kind: str) -> dict[str, Any]:
    data = request.POST
    rows = zip(data.getlist("value_id"), data.getlist("value_name"), data.getlist("value_meaning"), strict=False)
    return {
        "name": data.get("name", ""), "meaning": data.get("meaning", ""),
        "type": {"class": "choice", "field": data.get("type", "text")}.get(kind, "person"), "applies": data.getlist("applies"),
        "inherited": "inherited" in data, "raises": "raises" in data, "default": data.get("default", ""),
        "values": [aspects.GivenValue(parse_int(id_), name, meaning) for id_, name, meaning in rows],
    }  # fmt: skip


@require_POST
@in_area(Role.ADMINISTRATOR)
def remove_aspect(request: AreaRequest, pk: int) -> HttpResponse:
    """Remove a scheme or field with what was said under it."""
    aspect = get_object_or_404(Aspect, pk=pk, area=request.area)
    try:
        count = aspects.remove_aspect(aspect=aspect, person=request.user)
        messages.success(request, f"{aspect.name} is removed, with {count:,} value{'' if count == 1 else 's'}.")
    except EditError as error:
        messages.error(request, str(error))
    return redirect("describing:aspects", request.area.slug)


@require_http_methods(["GET", "POST"])
@in_area(Role.APPROVER)
def team_form(request: AreaRequest, pk: int = 0) -> HttpResponse:
    """A team and its members."""
    team = get_object_or_404(Team, pk=pk, area=request.area) if pk else None
    name, people = team.name if team else "", {one.pk for one in team.members.all()} if team else set()
    failure = ""
    if request.method == "POST":
        name = request.POST.get("name", "")
        people = {parse_int(one) for one in request.POST.getlist("people")}
        try:
            made = aspects.save_team(area=request.area, team=team, name=name, people=people)
            messages.success(request, f"{made.name} is saved.")
            return redirect("describing:aspects", request.area.slug)
        except EditError as error:
            failure = str(error)
    members = Membership.objects.filter(area=request.area).select_related("person").order_by("person__first_name")
    context = {"team": team, "name": name, "people": people, "members": members, "failure": failure}
    return render(request, "describing/team.html", context, status=422 if failure else 200)


@require_POST
@in_area(Role.APPROVER)
def remove_team(request: AreaRequest, pk: int) -> HttpResponse:
    """Remove a team that owns nothing."""
    team = get_object_or_404(Team, pk=pk, area=request.area)
    try:
        aspects.remove_team(team)
        messages.success(request, f"{team.name} is removed.")
    except EditError as error:
        messages.error(request, str(error))
    return redirect("describing:aspects", request.area.slug)


@require_http_methods(["GET", "POST"])
@in_area(Role.READER, posting=Role.STEWARD)
def say(request: AreaRequest, level: str, object_id: int) -> HttpResponse:
    """What is said of an object; with `edit` the form of one aspect, and by POST its new value."""
    if level not in LEVELS:
        raise Http404
    schema = request.GET.get("schema", "")[:200] if level == "schema" else ""
    context: dict[str, Any] = {"editing": parse_int(request.GET.get("edit"))}
    status = 200
    if request.method == "POST":
        aspect = get_object_or_404(Aspect, pk=parse_int(request.POST.get("aspect")), area=request.area)
        given, only_here = request.POST.get("value", ""), "only_here" in request.POST
        subject = (
            saying.Subject(level, object_id, schema) if only_here or schema else saying.shared_subject(level, object_id)
        )
        seen = request.POST.get("seen" if subject.object_id == object_id else "seen_shared", "")
        try:
            saying.say(area=request.area, person=request.user, subject=subject, aspect=aspect, given=given, seen=seen)
            context["editing"] = 0
        except StaleEditError as error:
            status, context["failure"] = (
                422,
                f"Meanwhile it was set to {error.theirs or 'nothing'}. Look again, and decide.",
            )
            context["editing"] = aspect.pk
        except EditError as error:
            status, context["failure"], context["given"], context["editing"] = 422, str(error), given, aspect.pk
    try:
        saying.label_of(request.area, saying.Subject(level, object_id, schema))
    except EditError as error:
        raise Http404 from error
    return render(
        request,
        "describing/_sayings.html",
        context | shown(request, level, object_id, context["editing"], schema),
        status=status,
    )


def shown(request: Any, level: str, object_id: int, editing: int = 0, schema: str = "") -> dict[str, Any]:
    """Return what the section about an object needs: what holds, and the choices of the aspect that is edited."""
    found = saying.sayings_of(request.area, level, object_id, schema)
    edited = next((one.aspect for one in found if one.aspect.pk == editing), None)
    url = reverse("describing:say", args=[request.area.slug, level, object_id])
    return {
        "sayings": [(one, saying.origin_in_words(one.origin)) for one in found], "level": level, "object_id": object_id, "editing": editing,
        "choices": saying.choices_of(edited) if edited else [], "schema": schema, "section": f"{level}-{object_id}-{slugify(schema)}",
        "shared": saying.shared_value(edited, level, object_id) if edited else None,
        "url": f"{url}?{urlencode({'schema': schema})}" if schema else f"{url}?",
    }  # fmt: skip
