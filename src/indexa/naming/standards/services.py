"""Naming standards as stored: versions, what a change would do, and holding models against them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any, NamedTuple

import msgspec
from django.db import connection, transaction
from django.db.models import QuerySet
from django.urls import reverse

from indexa.adapters.templates import render_confined
from indexa.areas.models import Area, Person
from indexa.changes.models import Change
from indexa.core.model import Model, Table
from indexa.core.naming.checking import Checker, Finding
from indexa.core.naming.making import Maker
from indexa.core.naming.objects import Named, named_objects
from indexa.core.naming.patterns import Pattern
from indexa.core.naming.standard import DEFAULT, KINDS, Kind, Rule, Standard, StandardFileError, read_standard
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress, Silent
from indexa.jobs.registry import Arguments, background
from indexa.modeling import renaming
from indexa.naming.standards.models import NameFinding, NamingCheck, StandardVersion, StoredStandard, Waiver
from indexa.naming.wordbooks import services as wordbooks
from indexa.store.bulk import copy_rows
from indexa.store.loading import load_model
from indexa.store.models import StoredColumn, StoredModel

AT_ONCE = 20_000
"""Columns up to which a model is checked while the person waits: under two seconds."""
_SHOWN = 12
_COLUMNS = (
    "model_id",
    "rule",
    "severity",
    "kind",
    "place",
    "name",
    "table_name",
    "why",
    "should",
    "fingerprint",
    "target",
    "object_id",
)


class StandardError(Exception):
    """A change of a standard that can't be made; the text says why."""


def core_standard(stored: StoredStandard, model: StoredModel | None = None) -> Standard:
    """Return the core's record of a standard; for a model of a platform where the standard is for none."""
    core = msgspec.convert(stored.content, Standard)
    if model is not None and not core.platform:
        core = msgspec.structs.replace(core, platform=model.platform)
    return core


@transaction.atomic
def make(
    *, area: Area, person: Person | None, name: str, platform: str = "", rules: dict[Kind, Rule] | None = None
) -> StoredStandard:
    """Make a standard with the plain rules, or those given. Raises StandardError if there is one of that name."""
    name = " ".join(name.split())[:80]
    if not name or StoredStandard.objects.filter(area=area, name=name).exists():
        raise StandardError("Give the standard a name of its own.")
    core = msgspec.structs.replace(DEFAULT, name=name, platform=platform, rules=rules or DEFAULT.rules)
    stored = StoredStandard.objects.create(area=area, name=name, content=msgspec.to_builtins(core))
    StandardVersion.objects.create(standard=stored, number=1, content=stored.content, by=person, why="Made")
    return stored


def with_rule(stored: StoredStandard, kind: Kind, fields: dict[str, str]) -> Standard:
    """Return the standard with one rule as a form has it; an unticked kind has none. Raises StandardError."""
    content: dict[str, Any] = msgspec.to_builtins(core_standard(stored))
    content["rules"] = dict(content.get("rules", {}))
    if fields.get("used"):
        longest = fields.get("max_length", "").strip() or "0"
        if not longest.isdigit() or len(longest) > 4:
            raise StandardError("The longest name is a number of letters, 0 for the platform's own limit.")
        content["rules"][kind] = {
            "case": fields.get("case", "lower"), "separator": fields.get("separator", "")[:3], "form": fields.get("form", "short"),
            "number": fields.get("number", "any"), "prefix": fields.get("prefix", "").strip()[:20], "suffix": fields.get("suffix", "").strip()[:20],
            "class_words": [word for word in fields.get("class_words", "").lower().replace(",", " ").split() if word],
            "max_length": int(longest), "allowed": fields.get("allowed", "").strip() or Rule().allowed, "pattern": fields.get("pattern", "").strip(),
            "known_words": bool(fields.get("known_words")),
            "leave_server_names": bool(fields.get("leave_server_names")), "severity": fields.get("severity", "warning"),
        }  # fmt: skip
    else:
        content["rules"].pop(kind, None)
    try:
        return read_standard(msgspec.json.encode(content))
    except StandardFileError as error:
        raise StandardError(str(error)) from None


class Report(msgspec.Struct):
    """What a change of a standard would do to the models that it governs."""

    new: int
    gone: int
    by_rule: list[tuple[str, int, int]]
    """Rule, findings now, findings then."""
    examples: list[Finding]
    """The first findings that are new."""
    looked_at: int
    columns: int
    """Columns that were looked at, and that there are: of large models the first tables stand for all."""


def report(stored: StoredStandard, then: Standard) -> Report:
    """Hold the governed models against both versions of a standard and compare the findings."""
    now = core_standard(stored)
    before: dict[str, Finding] = {}
    after: dict[str, Finding] = {}
    stack = wordbooks.stack_of(stored.area)
    looked_at = columns = 0
    for model in stored.governs.all():
        loaded = load_model(model)
        columns += sum(len(table.columns) for table in loaded.tables)
        loaded.tables = _first_tables(loaded.tables, max(0, AT_ONCE - looked_at))
        looked_at += sum(len(table.columns) for table in loaded.tables)
        for standard, found in ((now, before), (then, after)):
            of_model = msgspec.structs.replace(standard, platform=standard.platform or model.platform)
            found.update(
                {
                    f"{model.pk}|{one.fingerprint}": one
                    for one in Checker(of_model, stack, renderer=render_confined).check(loaded)
                }
            )
    counts = Counter(one.rule for one in before.values()), Counter(one.rule for one in after.values())
    rules = sorted(counts[0].keys() | counts[1].keys())
    return Report(
        new=len(after.keys() - before.keys()),
        gone=len(before.keys() - after.keys()),
        by_rule=[(rule, counts[0][rule], counts[1][rule]) for rule in rules],
        examples=[after[key] for key in after if key not in before][:_SHOWN],
        looked_at=looked_at,
        columns=columns,
    )


def _first_tables(tables: list[Table], room: int) -> list[Table]:
    """Return as many tables as have together no more columns than there is room for."""
    kept = []
    for table in tables:
        room -= len(table.columns)
        if room < 0:
            break
        kept.append(table)
    return kept


@transaction.atomic
def save(*, stored: StoredStandard, person: Person, then: Standard, why: str = "") -> StoredStandard:
    """Save a changed standard as its next version, and check the models that it governs. Nothing is saved if nothing changed."""
    stored = StoredStandard.objects.select_for_update(of=("self",)).get(pk=stored.pk)
    content = msgspec.to_builtins(then)
    if content == stored.content:
        return stored
    stored.version += 1
    stored.content = {**content, "version": stored.version}
    stored.save()
    StandardVersion.objects.create(
        standard=stored, number=stored.version, content=stored.content, by=person, why=why[:300]
    )
    for model in stored.governs.all():
        check_or_queue(model, person)
    return stored


@transaction.atomic
def govern(*, stored: StoredStandard, models: Sequence[StoredModel], person: Person | None = None) -> None:
    """Let a standard govern these models of its area and no others; a model has one standard."""
    before = set(stored.governs.all())
    for model in models:
        for other in StoredStandard.objects.filter(governs=model).exclude(pk=stored.pk):
            other.governs.remove(model)
    stored.governs.set(models)
    for model in {*before, *models}:
        check_or_queue(model, person)


def standard_of(model: StoredModel) -> StoredStandard | None:
    """Return the standard that governs a model."""
    return StoredStandard.objects.filter(governs=model).select_related("area").first()


@transaction.atomic
def check_model(model: StoredModel) -> int:
    """Hold a model against its standard and keep the findings; without a standard it has none. Returns how many."""
    stored = standard_of(model)
    NameFinding.objects.filter(model=model).delete()
    findings: list[Finding] = []
    of_parts: dict[tuple[str, str], tuple[str, int]] = {}
    version = None
    if stored is not None:
        loaded = load_model(model)
        findings = Checker(
            core_standard(stored, model), wordbooks.stack_of(stored.area), renderer=render_confined
        ).check(loaded)
        of_parts = ids_of(model, loaded)
        version = stored.versions.filter(number=stored.version).first()
    copy_rows(
        "name_finding",
        _COLUMNS,
        (
            (
                model.pk,
                one.rule,
                one.severity,
                one.kind,
                one.place,
                one.name,
                one.table,
                one.why,
                one.should,
                one.fingerprint,
                *of_parts.get((one.kind, one.place), ("", None)),
            )
            for one in findings
        ),
        Silent(),
        "Storing findings",
        len(findings),
    )
    NamingCheck.objects.update_or_create(model=model, defaults={"version": version})
    return len(findings)


class Patterned(NamedTuple):
    """A name that its pattern asks to be another one."""

    target: str
    object_id: int
    before: str
    after: str


def patterned(model: StoredModel) -> list[Patterned]:
    """Return the keys, indexes and the like of a model, as it is now, whose pattern asks for another name."""
    stored = standard_of(model)
    if stored is None:
        return []
    loaded = load_model(model)
    found = Checker(core_standard(stored, model), wordbooks.stack_of(stored.area), renderer=render_confined).check(
        loaded
    )
    of_parts = ids_of(model, loaded)
    return [
        Patterned(*of_parts[one.kind, one.place], one.name, one.should)
        for one in found
        if one.rule == "pattern" and one.should and (one.kind, one.place) in of_parts
    ]


def ids_of(model: StoredModel, loaded: Model) -> dict[tuple[str, str], tuple[str, int]]:
    """Return, by kind and place of everything that a renaming can reach, its target and id; one query a target."""
    found: dict[tuple[str, str], tuple[str, int]] = {}
    for one in named_objects(loaded):
        if one.id:
            found[one.kind, one.place] = ("table" if one.id[0] == "t" else "column", int(one.id[1:]))
    full = "case when t.schema = '' then t.name else t.schema || '.' || t.name end || '.' || o.name"
    relationship = "relationship" if model.layer == "logical" else "foreign key"
    with connection.cursor() as cursor:
        for target, kind in (
            ("key", "case o.kind when 'primary' then 'primary key' when 'unique' then 'unique key' else '' end"),
            ("relationship", f"'{relationship}'"),
            ("index", "'index'"),
            ("check", "'check'"),
        ):
            cursor.execute(
                f"select {kind}, {full}, o.id from model_{target} o join model_table t on t.id = o.table_id "  # noqa: S608
                "where t.model_id = %s and t.removed_at is null",
                [model.pk],
            )
            found.update(((kind, place), (target, id_)) for kind, place, id_ in cursor.fetchall())
        cursor.execute(
            "select case when schema = '' then name else schema || '.' || name end, id from model_object where model_id = %s and kind = 'sequence'",
            [model.pk],
        )
        found.update((("sequence", place), ("object", id_)) for place, id_ in cursor.fetchall())
    return found


def check_or_queue(model: StoredModel, person: Person | None) -> None:
    """Check a model's names at once, or by a job where that takes more than a moment; one job at a time."""
    if StoredColumn.objects.filter(table__model=model).count() <= AT_ONCE:
        check_model(model)
        return
    _queue(model, person)


def check_again(models: Sequence[StoredModel], person: Person | None) -> None:
    """Let a job check models anew whose names were checked before: what they hold has changed under the findings."""
    for model in models:
        if NamingCheck.objects.filter(model=model).exists():
            _queue(model, person)


def _queue(model: StoredModel, person: Person | None) -> None:
    waiting = Job.objects.filter(kind="names", arguments__model=model.pk, state__in=["waiting", "running"])
    if not waiting.exists():
        title = f"Checking the names of {model.name}"
        jobs.start(area=model.area, kind="names", title=title, person=person, model=model.pk)


class CheckArguments(Arguments):
    """Whose names are checked."""

    model: int


@background("names", CheckArguments)
def check_in_background(job: Job, progress: Progress) -> str:
    """Check the names of the job's model. Returns the address of the findings."""
    model = StoredModel.objects.filter(pk=job.arguments["model"], area=job.area).first()
    if model is None:
        raise JobFailedError("The model was removed before its names could be checked.")
    progress.report("Holding names against the standard")
    check_model(model)
    return f"{reverse('naming:findings', args=[job.area.slug])}?model={model.pk}"


def is_stale(model: StoredModel) -> bool:
    """Say whether the model was read again, or a name in it was changed, since its names were checked."""
    done = NamingCheck.objects.filter(model=model).first()
    if done is None or bool(model.read_at and model.read_at > done.at):
        return True
    return Change.objects.filter(change_set__model=model, change_set__at__gt=done.at, field="name").exists()


def open_findings(area: Area) -> dict[int, int]:
    """Return the number of findings that nobody waived, by model; one query."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select f.model_id, count(*) from name_finding f join model m on m.id = f.model_id "
            "left join name_waiver w on w.model_id = f.model_id and w.fingerprint = f.fingerprint "
            "where m.area_id = %s and w.id is null group by f.model_id",
            [area.pk],
        )
        return dict(cursor.fetchall())


@transaction.atomic
def waive(*, model: StoredModel, person: Person, finding_id: int, reason: str) -> NameFinding:
    """Let a finding stand for a reason. Raises StandardError without one."""
    reason = " ".join(reason.replace("\x00", "").split())
    finding = NameFinding.objects.filter(model=model, pk=finding_id).first()
    if finding is None:
        raise StandardError("The finding is no longer there. Load the page again.")
    if not reason or len(reason) > 300:
        raise StandardError("Say in up to 300 letters why it may stand.")
    Waiver.objects.update_or_create(
        model=model, fingerprint=finding.fingerprint, defaults={"reason": reason, "by": person}
    )
    return finding


def names_by_model(area: Area) -> dict[int, str]:
    """Return the name of the standard that governs each model of the area."""
    return dict(StoredStandard.objects.filter(area=area, governs__isnull=False).values_list("governs", "name"))


def taken_message(taken: list[tuple[str, str]]) -> str:
    """Return a sentence on names that could not be given because something else has them."""
    place, name = taken[0]
    count = f"{len(taken):,} names were left: there is" if len(taken) > 1 else "One name was left: there is"
    return f"{count} something else of that name already. The first is {place}, which should be {name}."


def mendable(findings: QuerySet[NameFinding]) -> QuerySet[NameFinding]:
    """Return the findings that say which name it should be, of objects that can be renamed here."""
    return findings.exclude(should="").exclude(target="")


@transaction.atomic
def fix(*, model: StoredModel, person: Person, findings: QuerySet[NameFinding]) -> renaming.Renamed:
    """Give what findings speak of the names that they should have, as one change set; a name with several findings once.

    Findings that name no better name stay. Those that are mended go at once, all others when the names are checked again.
    """
    first = mendable(findings.filter(model=model)).order_by("target", "object_id", "pk").distinct("target", "object_id")
    names = [(one.target, one.object_id or 0, one.name, one.should) for one in first]
    if not names:
        raise StandardError(
            "None of these findings says which name it should be. Write the name yourself, or waive it."
        )
    done = renaming.rename_many(
        area=model.area, person=person, model_id=model.pk, why="By the naming standard", names=names
    )
    if done.change_set is not None:
        with connection.cursor() as cursor:
            cursor.execute(
                "delete from name_finding f using change c where c.change_set_id = %s and f.model_id = %s "
                "and f.target = c.target and f.object_id = c.object_id",
                [done.change_set.pk, model.pk],
            )
    return done


def unwaive(*, model: StoredModel, finding_id: int) -> None:
    """Take a waiver back."""
    finding = NameFinding.objects.filter(model=model, pk=finding_id).first()
    if finding is not None:
        Waiver.objects.filter(model=model, fingerprint=finding.fingerprint).delete()


class Example(msgspec.Struct):
    """A name of a real model, and the one that the rule would make of it."""

    place: str
    name: str
    should: str


class Examples:
    """Names of one real model with what rules make of them; the wordbooks are read once."""

    def __init__(self, model: Model, area: Area) -> None:
        self._objects = list(named_objects(model))
        self._stack = wordbooks.stack_of(area)

    def of(self, core: Standard, kind: Kind, limit: int = 3) -> list[Example]:
        """Return the first names of a kind with what its rule makes of them. Raises PatternError."""
        rule = core.rules.get(kind)
        found = [one for one in self._objects if one.kind == kind][:limit]
        if rule is None or not found:
            return [Example(one.place, one.name, "") for one in found]
        checker, maker = Checker(core, self._stack, renderer=render_confined), Maker(core, self._stack)
        return [Example(one.place, one.name, _made(one, rule, checker, maker)) for one in found]


def _made(one: Named, rule: Rule, checker: Checker, maker: Maker) -> str:
    if rule.pattern:
        return checker.within(Pattern(rule.pattern, render_confined).name(one.parts), rule)
    if one.business_name:
        return maker.make(one.kind, one.business_name).name
    return checker.should(one)


KIND_NAMES: dict[Kind, str] = {kind: kind[:1].upper() + kind[1:] for kind in KINDS}
"""Kinds of objects as the pages head them."""


def kind_of(slug: str) -> Kind | None:
    """Return the kind that an address names with a dash for a blank."""
    kind = slug.replace("-", " ")
    return next((one for one in KINDS if one == kind), None)
