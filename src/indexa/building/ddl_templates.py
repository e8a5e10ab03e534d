"""How an area words its scripts: templates by kind of statement, in versions, and scripts written with them."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
from django.db import transaction
from django.utils import timezone

from indexa.adapters.templates import word_confined
from indexa.areas.models import Area, Person
from indexa.building.models import DdlTemplate
from indexa.core import platforms
from indexa.core.change.script import ChangeScript
from indexa.core.change.worded import worded_change
from indexa.core.ddl import templates
from indexa.core.ddl.script import Options, Script
from indexa.core.ddl.writing import write_ddl
from indexa.core.model import Model
from indexa.store.models import StoredModel

LARGEST_FILE = 500_000


def in_force(area: Area) -> dict[str, DdlTemplate]:
    """Return the version in force of each template, by kind; plain wording is left out."""
    latest: dict[str, DdlTemplate] = {}
    for one in DdlTemplate.objects.filter(area=area).select_related("by").order_by("kind", "number"):
        latest[one.kind] = one
    return {kind: one for kind, one in latest.items() if one.source}


@transaction.atomic
def save(*, area: Area, person: Person, kind: str, source: str, why: str = "") -> DdlTemplate:
    """Keep a new version of a template; an empty source is the plain wording. Raises TemplateProblem for one that can't be used."""
    source = source.replace("\r\n", "\n").replace("\x00", "").strip()
    if kind not in templates.KINDS:
        raise templates.TemplateProblem(f"“{kind[:40]}” is no kind of statement.")
    templates.check(source)
    Area.objects.select_for_update().get(pk=area.pk)
    last = DdlTemplate.objects.filter(area=area, kind=kind).order_by("-number").first()
    if last is not None and last.source == source:
        return last
    number = last.number + 1 if last else 1
    return DdlTemplate.objects.create(
        area=area, kind=kind, number=number, source=source, why=why.strip()[:300], by=person
    )


def facts_of(model: StoredModel, platform: str, person: Person) -> templates.Facts:
    """Return what templates are told beside a statement."""
    read = timezone.localtime(model.read_at or model.created_at)
    return templates.Facts(
        platform=platforms.label_of(platform), model=model.name, version=read.strftime("%Y-%m-%d %H:%M"), person=person.display_name,
        date=timezone.localdate().isoformat(),
    )  # fmt: skip


def write(stored: StoredModel, model: Model, platform: str, options: Options, person: Person, **others: str) -> Script:
    """Return the script of a model in the area's wording; `others` are templates to be tried instead of the kept ones."""
    sources = {kind: one.source for kind, one in in_force(stored.area).items()} | others
    script = write_ddl(model, platform, options)
    wanted = {kind: source for kind, source in sources.items() if source}
    return templates.worded(script, wanted, facts_of(stored, platform, person), word_confined) if wanted else script


def write_change(change: ChangeScript, stored: StoredModel, person: Person) -> ChangeScript:
    """Return a change script in the area's wording."""
    sources = {kind: one.source for kind, one in in_force(stored.area).items()}
    if not sources:
        return change
    return worded_change(change, sources, facts_of(stored, change.platform, person), word_confined)


def exported(area: Area) -> bytes:
    """Return an area's templates as a file."""
    return msgspec.json.format(
        msgspec.json.encode({kind: one.source for kind, one in in_force(area).items()}), indent=2
    )


@transaction.atomic
def imported(*, area: Area, person: Person, content: bytes) -> int:
    """Keep the templates of a file as new versions. Returns how many. Raises TemplateProblem for a file that is none."""
    sources = sources_of(content)
    for kind, source in sources.items():
        save(area=area, person=person, kind=kind, source=source, why="Imported from a file")
    return len(sources)


def sources_of(content: bytes) -> Mapping[str, str]:
    """Return the templates of a file by kind. Raises TemplateProblem."""
    if len(content) > LARGEST_FILE:
        raise templates.TemplateProblem(f"The file is larger than {LARGEST_FILE // 1000} kB.")
    try:
        return msgspec.json.decode(content, type=dict[str, str])
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise templates.TemplateProblem("This is no file of templates: kinds with their text, as JSON.") from error
