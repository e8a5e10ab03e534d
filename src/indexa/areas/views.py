"""Coming in, choosing an area, and the members of one."""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import SuspiciousOperation
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from indexa.areas import services
from indexa.areas.forms import MemberForm
from indexa.areas.models import Area, Membership, Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.ui.parameters import parse_int


@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """To the desk of the only area one has, or the choice among several."""
    areas = list(Area.objects.filter(memberships__person_id=request.user.pk or 0))
    if len(areas) == 1 and "choose" not in request.GET:
        return redirect("desk:page", areas[0].slug)
    return render(request, "areas/home.html", {"areas": areas})


@require_http_methods(["GET", "POST"])
@in_area(Role.ADMINISTRATOR)
def members(request: AreaRequest) -> HttpResponse:
    """Who may do what in this area."""
    form = MemberForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        entered = dict(form.cleaned_data)
        entered["role"] = Role(entered["role"])
        try:
            member = services.add_member(area=request.area, has_first_password=True, **entered)
        except services.AlreadyMemberError as error:
            form.add_error("username", str(error))
        else:
            messages.success(request, f"{member.person.display_name} is {member.get_role_display().lower()} here.")
            return redirect("areas:members", request.area.slug)
    found = Membership.objects.filter(area=request.area).select_related("person").order_by("-role", "person__username")
    context = {"form": form, "members": found, "roles": Role.choices}
    return render(request, "areas/members.html", context, status=422 if form.errors else 200)


@require_POST
@in_area(Role.ADMINISTRATOR)
def change_member(request: AreaRequest, pk: int) -> HttpResponse:
    """Change a role, or end a membership."""
    get_object_or_404(Membership, pk=pk, area=request.area)
    wanted = request.POST.get("role", "")
    if wanted != "none" and parse_int(wanted) not in Role.values:
        raise SuspiciousOperation("There is no such role.")
    role = None if wanted == "none" else Role(int(wanted))
    try:
        member = services.change_role(area=request.area, membership_id=pk, role=role)
    except services.LastAdministratorError as error:
        messages.error(request, str(error))
    else:
        what = f"is {role.label.lower()} now" if role else "is no longer a member"
        messages.success(request, f"{member.person.display_name} {what}.")
    return redirect("areas:members", request.area.slug)
