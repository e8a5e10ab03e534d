"""Naming passes: starting one, its names and counts, writing single names, applying all as one change set."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from django.db import connection, transaction
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.changes.recording import record
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.modeling import editing, renaming
from indexa.naming.errors import PassError
from indexa.naming.passes import to_business, to_physical
from indexa.naming.passes.models import LockedName, NamingPass, PassName, PassWord
from indexa.naming.standards import services as standards
from indexa.store.errors import EditError
from indexa.store.models import StoredModel

AT_ONCE = 20_000
"""Names up to which a pass is applied, or its words are settled together, while the person waits."""
_LONGEST = {"business": editing.LIMITS["business_name"], "physical": renaming.LONGEST}


def start(
    *,
    area: Area,
    person: Person,
    model: StoredModel,
    kinds: Sequence[str],
    only_missing: bool,
    direction: str = "business",
) -> Job:
    """Put the proposing of names into the queue. Raises PassError for physical names of a model without a standard."""
    if direction == NamingPass.Direction.PHYSICAL and standards.standard_of(model) is None:
        raise PassError(f"No naming standard governs {model.name}: choose one under Standard, then start the pass.")
    title = f"Proposing names for {model.name}"
    return jobs.start(
        area=area, kind="naming pass", title=title, person=person, model=model.pk, kinds=list(kinds),
        only_missing=only_missing, direction=direction,
    )  # fmt: skip


class PassArguments(Arguments):
    """Which model gets a pass, over which kinds of names, and in which direction."""

    model: int
    kinds: list[str]
    only_missing: bool
    direction: str = "business"


@background("naming pass", PassArguments)
def propose(job: Job, progress: Progress) -> str:
    """Propose names for the job's model. Returns the address of the pass."""
    model = StoredModel.objects.filter(pk=job.arguments["model"], area=job.area).first()
    if model is None:
        raise JobFailedError("The model was removed before names could be proposed.")
    try:
        made = make_pass(
            model=model,
            person=job.started_by,
            kinds=job.arguments["kinds"],
            only_missing=job.arguments["only_missing"],
            direction=job.arguments.get("direction", "business"),
            progress=progress,
        )
    except PassError as error:
        raise JobFailedError(str(error)) from error
    return reverse("naming:pass", args=[job.area.slug, made.pk])


def make_pass(
    *, model: StoredModel, person: Person | None, kinds: Sequence[str], only_missing: bool, progress: Progress,
    direction: str = "business",
) -> NamingPass:  # fmt: skip
    """Work out names for a model and store them as a pass. An open pass of the model in that direction is discarded."""
    discard_open_passes(model, direction)
    made = NamingPass.objects.create(
        model=model, direction=direction, kinds=list(kinds), only_missing=only_missing, made_by=person
    )
    (to_physical if direction == NamingPass.Direction.PHYSICAL else to_business).fill(made, progress)
    return made


def discard_open_passes(model: StoredModel, direction: str) -> None:
    """End the open passes of a model in one direction: there is one at a time."""
    NamingPass.objects.filter(model=model, direction=direction, state=NamingPass.State.OPEN).update(
        state=NamingPass.State.DISCARDED
    )


def open_pass(area: Area, pass_id: int) -> NamingPass:
    """Return a pass of the area that can still be worked on, locked until the transaction ends. Raises PassError."""
    found = (
        NamingPass.objects.select_for_update(of=("self",))
        .filter(pk=pass_id, model__area=area)
        .select_related("model__area")
        .first()
    )
    if found is None:
        raise PassError("The pass is no longer there.")
    if found.state != NamingPass.State.OPEN:
        raise PassError("This pass is over. Start another one to go on.")
    return found


@transaction.atomic
def leave(*, area: Area, pass_id: int, short: str) -> None:
    """Leave a word for later."""
    open_pass(area, pass_id).words.filter(short=short, state=PassWord.State.OPEN).update(state=PassWord.State.LEFT)


@transaction.atomic
def write_name(*, area: Area, person: Person, pass_id: int, name_id: int, after: str, lock: bool) -> PassName:
    """Write one name by hand, and lock it against later passes if that is wanted."""
    naming_pass = open_pass(area, pass_id)
    name = naming_pass.names.filter(pk=name_id).first()
    physical = naming_pass.direction == NamingPass.Direction.PHYSICAL
    after = after.replace("\x00", "").strip() if physical else " ".join(after.replace("\x00", "").split())
    if name is None:
        raise PassError("The name is no longer in this pass.")
    if not after or len(after) > _LONGEST[naming_pass.direction]:
        raise PassError(f"Say a name of up to {_LONGEST[naming_pass.direction]} letters.")
    name.after, name.written, name.locked, name.open, name.confidence, name.notes = after, True, lock, [], 1.0, []
    name.save()
    if lock:
        LockedName.objects.update_or_create(
            direction=naming_pass.direction, target=name.target, object_id=name.object_id, defaults={"by": person}
        )
    else:
        LockedName.objects.filter(
            direction=naming_pass.direction, target=name.target, object_id=name.object_id
        ).delete()
    return name


def first_names(naming_pass: NamingPass, abbreviations: Sequence[str], limit: int) -> dict[str, list[PassName]]:
    """Return for each word the first names of the pass that have it, each name once; one query for all words."""
    found: dict[str, list[PassName]] = {}
    raw = PassName.objects.raw(
        "select n.*, s.short from unnest(%s::text[]) s(short) cross join lateral (select distinct on (name) * from "
        "(select * from naming_pass_name where naming_pass_id = %s and words @> array[s.short] order by place limit %s) few "
        "order by name, place) n order by n.place",
        [list(abbreviations), naming_pass.pk, 4 * limit],
    )
    for name in raw:
        names = found.setdefault(name.short, [])  # type: ignore[attr-defined]
        if len(names) < limit:
            names.append(name)
    return found


def company(naming_pass: NamingPass, short: str, limit: int) -> list[tuple[str, int]]:
    """Return the words that stand beside a word in names of the pass, or in the names of their tables, the commonest first."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select w, count(*) from naming_pass_name n cross join lateral (select distinct unnest(n.words || n.context_words) as w) near "
            "where n.naming_pass_id = %s and n.words @> array[%s] and not n.written and w <> %s and w !~ '^[0-9]+$' "
            "group by w order by count(*) desc, w limit %s",
            [naming_pass.pk, short, short, limit],
        )
        return list(cursor.fetchall())


_LIKELY = 0.6
"""From here on a word's likeliest meaning is worth a person's look; below it, the word is unclear."""


def unclear_words(naming_pass: NamingPass) -> list[str]:
    """Return the words of a pass that nobody settled and for which nothing likely was found."""
    found = naming_pass.words.exclude(state=PassWord.State.SETTLED)
    return [one.short for one in found.only("short", "options") if not one.options or one.options[0][1] < _LIKELY]


def counts(naming_passes: Sequence[NamingPass]) -> dict[int, dict[str, int]]:
    """Return by pass how many names are settled, wait for a word that has a proposal, or for one that is unclear; one query."""
    ids = [one.pk for one in naming_passes]
    with connection.cursor() as cursor:
        cursor.execute(
            "with unclear as (select p as id, coalesce((select array_agg(short::text) from naming_pass_word where naming_pass_id = p "
            "and state <> 'settled' and (jsonb_array_length(options) = 0 or (options->0->>1)::float < %s)), '{}') as abbreviations "
            "from unnest(%s::bigint[]) p) select unclear.id, count(*) filter (where open = '{}'), "
            "count(*) filter (where open <> '{}' and not open && abbreviations), count(*) filter (where open && abbreviations), "
            "count(*) filter (where open = '{}' and after <> before) "
            "from unclear join naming_pass_name n on n.naming_pass_id = unclear.id group by unclear.id",
            [_LIKELY, ids],
        )
        found = {row[0]: row[1:] for row in cursor.fetchall()}
    text = {}
    for id_ in ids:
        settled, word, choice, to_apply = found.get(id_, (0, 0, 0, 0))
        text[id_] = {
            "settled": settled,
            "word": word,
            "choice": choice,
            "known": settled + word,
            "total": settled + word + choice,
            "to_apply": to_apply,
        }
    return text


@dataclass(frozen=True, slots=True)
class Applied:
    """The change set of a pass, how many names it wrote, and the places whose name something else has already."""

    change_set: ChangeSet
    count: int
    taken: list[tuple[str, str]]


@transaction.atomic
def apply(*, area: Area, person: Person, pass_id: int) -> Applied:
    """Write all settled names into the model as one change set. Raises PassError where there is none.

    A name that somebody changed since the pass was made is left as it is. To physical names, keys and indexes follow by
    their patterns in the same change set, if the pass is for them too.
    """
    naming_pass = open_pass(area, pass_id)
    why = f"Naming pass of {naming_pass.made_at:%-d %B %Y}"
    settled = PassName.objects.filter(naming_pass=naming_pass, open=[])
    rows = settled.values_list("target", "object_id", "before", "after")
    change_set: ChangeSet | None
    taken: list[tuple[str, str]] = []
    if naming_pass.direction == NamingPass.Direction.PHYSICAL:
        change_set, taken = _rename(area, person, naming_pass, why, rows)
    else:
        change_set = editing.write_many(
            area=area, person=person, model_id=naming_pass.model_id, why=why, field="business_name", values=rows
        )
    if change_set is None:
        message = f" “{taken[0][1]}” is taken at {taken[0][0]}." if taken else ""
        raise PassError(f"No name is settled that differs from what the model has.{message}")
    naming_pass.state, naming_pass.change_set = NamingPass.State.APPLIED, change_set
    naming_pass.save()
    return Applied(change_set, change_set.changes.count(), taken)


def _rename(
    area: Area, person: Person, naming_pass: NamingPass, why: str, rows: Iterable[tuple[str, int, str, str]]
) -> tuple[ChangeSet | None, list[tuple[str, str]]]:
    """Write physical names, and those of the keys and indexes that follow them; return the change set and what was taken."""
    model_id = naming_pass.model_id
    with record(area=area, person=person, why=why, model_id=model_id) as changes:
        taken = renaming.rename_many(
            area=area, person=person, model_id=model_id, why=why, names=rows, into=changes
        ).taken
        if "keys" in naming_pass.kinds:
            patterned = [
                (one.target, one.object_id, one.before, one.after) for one in standards.patterned(naming_pass.model)
            ]
            taken += renaming.rename_many(
                area=area, person=person, model_id=model_id, why=why, names=patterned, into=changes
            ).taken
    return None if changes.is_empty else changes.change_set, taken


class ApplyArguments(Arguments):
    """Which pass is applied."""

    naming_pass: int


@background("apply pass", ApplyArguments)
def apply_in_background(job: Job, progress: Progress) -> str:
    """Apply the job's pass. Returns the address of the pass."""
    assert job.started_by is not None
    progress.report("Writing the names")
    try:
        apply(area=job.area, person=job.started_by, pass_id=job.arguments["naming_pass"])
    except (PassError, EditError) as error:
        raise JobFailedError(str(error)) from error
    return reverse("naming:pass", args=[job.area.slug, job.arguments["naming_pass"]])


@transaction.atomic
def discard(*, area: Area, pass_id: int) -> None:
    """End a pass without applying it. What the wordbook learned stays."""
    naming_pass = open_pass(area, pass_id)
    naming_pass.state = NamingPass.State.DISCARDED
    naming_pass.save()
