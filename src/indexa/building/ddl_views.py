"""The page on which a model's DDL is seen, copied and saved as a file."""

from __future__ import annotations

import io
import re
import zipfile
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe
from django.views.decorators.http import require_GET

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.building import ddl_templates
from indexa.core import platforms
from indexa.core.ddl.script import Options, Script
from indexa.core.ddl.targets import TARGETS
from indexa.store.loading import load_model
from indexa.store.models import Layer, StoredModel

_SHOWN_LINES = 4_000
_TOKENS = re.compile(
    r"(?P<comment>--[^\n]*)|(?P<text>'(?:[^']|'')*')|(?P<name>\"[^\"]*\"|`[^`]*`)|(?P<word>\b[A-Z]{2,}\b)|(?P<number>\b\d+(?:\.\d+)?\b)"
)


@require_GET
@in_area(Role.READER)
def ddl(request: AreaRequest, pk: int) -> HttpResponse:
    """The script of a physical model, with the choices that make it."""
    model = _model(request, pk)
    dialect, options = _chosen(request, model)
    script = ddl_templates.write(model, load_model(model), dialect, options, request.user)
    text = script.text()
    lines = text.splitlines()
    context = {
        "model": model,
        "dialect": dialect,
        "dialects": [(name, platforms.label_of(name)) for name in sorted(TARGETS)],
        "options": options,
        "schemas": sorted(model.tables.filter(removed_at__isnull=True).values_list("schema", flat=True).distinct()),
        "script": _coloured("\n".join(lines[:_SHOWN_LINES])),
        "numbers": "\n".join(str(number) for number in range(1, min(len(lines), _SHOWN_LINES) + 1)),
        "lines": len(lines),
        "more": max(0, len(lines) - _SHOWN_LINES),
        "statements": len(script.statements),
        "remarks": script.remarks,
        "query": request.GET.urlencode(),
        "same": model.platform == dialect,
    }
    return render(request, "building/ddl.html", context)


@require_GET
@in_area(Role.READER)
def ddl_file(request: AreaRequest, pk: int) -> HttpResponse:
    """The script as a file, or as a zip with a file for each object."""
    model = _model(request, pk)
    dialect, options = _chosen(request, model)
    script = ddl_templates.write(model, load_model(model), dialect, options, request.user)
    name = re.sub(r"[^\w-]+", "-", f"{model.name}-{dialect}").strip("-")
    if request.GET.get("form") == "zip":
        response = HttpResponse(_zipped(script), content_type="application/zip")
        response["Content-Disposition"] = f'attachment; filename="{name}.zip"'
        return response
    response = HttpResponse(script.text(), content_type="application/sql; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{name}.sql"'
    return response


def _zipped(script: Script) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, text in script.files():
            archive.writestr(path, text)
    return made.getvalue()


def _model(request: AreaRequest, pk: int) -> StoredModel:
    found: StoredModel = get_object_or_404(
        StoredModel.objects.select_related("logical"), pk=pk, area=request.area, layer=Layer.PHYSICAL
    )
    return found


def _chosen(request: AreaRequest, model: StoredModel) -> tuple[str, Options]:
    given: Any = request.GET
    dialect = given.get("dialect", "")
    dialect = dialect if dialect in TARGETS else model.platform if model.platform in TARGETS else "postgresql"
    when = timezone.localtime().strftime("%-d %B %Y, %H:%M %Z")
    header = f"{model.name} for {platforms.label_of(dialect)}\nMade by {request.user.display_name} on {when}"
    is_asked = "dialect" in given
    return dialect, Options(
        schemas=frozenset(schema[:200] for schema in given.getlist("schema")[:500]),
        comments="comments" in given or not is_asked, if_not_exists="if_not_exists" in given, drop_first="drop_first" in given,
        header=header,
    )  # fmt: skip


def _coloured(text: str) -> SafeString:
    """Return a script with its words, texts and remarks marked; every piece of it is escaped."""
    made: list[str] = []
    last = 0
    for found in _TOKENS.finditer(text):
        made.append(escape(text[last : found.start()]))
        made.append(f'<span class="sql-{found.lastgroup}">{escape(found[0])}</span>')
        last = found.end()
    made.append(escape(text[last:]))
    return mark_safe("".join(made))  # noqa: S308  each piece is escaped above
