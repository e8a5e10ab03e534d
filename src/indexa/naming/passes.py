"""Naming passes: proposing names for a model, settling words, writing single names, applying all as one change set."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Sequence

import msgspec
from django.db import connection, transaction
from django.urls import reverse

from indexa.areas.models import Area, Person
from indexa.core.naming.evidence import Place
from indexa.core.naming.expanding import Expander, Part, business_name, still_open
from indexa.core.naming.places import joins_of
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.modeling import editing
from indexa.modeling.bulk import copy_rows
from indexa.modeling.loading import load_model
from indexa.modeling.models import ChangeSet, DescribedColumn, StoredModel, StoredTable
from indexa.naming import wordbooks
from indexa.naming.models import LockedName, NamingPass, PassName, PassWord, Wordbook

_MOST_OPTIONS = 5
COLUMNS = (
    "naming_pass_id",
    "target",
    "object_id",
    "place",
    "name",
    "before",
    "after",
    "parts",
    "open",
    "words",
    "confidence",
    "written",
    "locked",
)
CERTAIN = 0.85
"""From which confidence on words are offered to be taken together."""


class PassError(Exception):
    """What was asked of a pass can't be done; the text says why and what to do."""


def start(*, area: Area, person: Person, model: StoredModel, kinds: Sequence[str], only_missing: bool) -> Job:
    """Put the proposing of names into the queue."""
    title = f"Proposing names for {model.name}"
    return jobs.start(
        area=area,
        kind="naming pass",
        title=title,
        person=person,
        model=model.pk,
        kinds=list(kinds),
        only_missing=only_missing,
    )


def propose(job: Job, progress: Progress) -> str:
    """Propose names for the job's model. Returns the address of the pass."""
    model = StoredModel.objects.filter(pk=job.arguments["model"], area=job.area).first()
    if model is None:
        raise JobFailedError("The model was removed before names could be proposed.")
    made = make_pass(
        model=model,
        person=job.started_by,
        kinds=job.arguments["kinds"],
        only_missing=job.arguments["only_missing"],
        progress=progress,
    )
    return reverse("naming:pass", args=[job.area.slug, made.pk])


def make_pass(
    *, model: StoredModel, person: Person | None, kinds: Sequence[str], only_missing: bool, progress: Progress
) -> NamingPass:
    """Work out names for a model and store them as a pass. An open pass of the model is put away."""
    progress.tell("Reading the names")
    stack = wordbooks.stack_of(model.area)
    objects = list(_objects(model))
    progress.tell("Splitting and telling names", 1, 4)
    expander = Expander([place for *_, place in objects], stack, joins_of([load_model(model)]))
    expansions = expander.expand_all()
    progress.tell("Gathering what is open", 2, 4)
    NamingPass.objects.filter(model=model, state=NamingPass.State.OPEN).update(state=NamingPass.State.PUT_AWAY)
    made = NamingPass.objects.create(model=model, kinds=list(kinds), only_missing=only_missing, made_by=person)
    locked = set(LockedName.objects.values_list("target", "object_id"))
    rows, asked = [], Counter[str]()
    for (target, object_id, full, before, place), found in zip(objects, expansions, strict=True):
        wanted = ("tables" if target == "table" else "columns") in kinds and not (only_missing and before)
        if not wanted or (target, object_id) in locked or not found.words:
            continue
        if found.business_name == before and not found.open:
            continue
        asked.update(found.open)
        rows.append((
            made.pk, target, object_id, full, place.name, before, found.business_name[: editing.LIMITS["business_name"]],
            msgspec.json.encode(found.parts).decode(), list(found.open), list(dict.fromkeys(found.words)), found.confidence, False, False,
        ))  # fmt: skip
    PassWord.objects.bulk_create(
        [
            PassWord(naming_pass=made, short=short[:200], count=count, options=_options(expander, short))
            for short, count in asked.items()
        ],
        batch_size=2_000,
    )
    copy_rows("naming_pass_name", COLUMNS, rows, progress, "Storing proposals", len(rows))
    return made


def _objects(model: StoredModel) -> Iterable[tuple[str, int, str, str, Place]]:
    """Yield target, id (where the words are kept), full name, business name and place of all tables and columns."""
    tables = (
        StoredTable.objects.filter(model=model, gone_since__isnull=True)
        .select_related("entity")
        .order_by("schema", "name")
    )
    for table in tables:
        said = table.comment or table.definition
        before = table.business_name or (table.entity.business_name if table.entity else "")
        yield "table", table.entity_id or table.pk, table.full_name, before, Place(name=table.name, comment=said)
    columns = DescribedColumn.objects.filter(model=model).order_by("schema", "table_name", "position")
    for id_, attribute, schema, table_name, name, type_, comment, definition, before in columns.values_list(
        "id", "attribute_id", "schema", "table_name", "name", "type", "comment", "definition", "business_name"
    ):
        full = f"{schema}.{table_name}.{name}" if schema else f"{table_name}.{name}"
        yield (
            "column",
            attribute or id_,
            full,
            before,
            Place(name=name, table=table_name, comment=comment or definition, type=type_),
        )


def _options(expander: Expander, short: str) -> list[list[object]]:
    """Return what a word may stand for, as [word, confidence, evidence]: by the wordbooks, else by what the schema says."""
    known = expander.stack.meanings(short)
    if known:
        share = round(1 / len(known), 2)
        return [
            [one.word, share, [f"{one.status} in the wordbook" + (f": {one.meaning}" if one.meaning else "")]]
            for one in known
        ]
    found = expander.evidence.candidates(short)[:_MOST_OPTIONS]
    return [
        [business_name([Part(short, one.word)]), one.confidence, one.evidence]
        for one in found
        if one.confidence >= 0.02
    ]


# settling --------------------------------------------------------------------------------------------------------------


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
def settle(*, area: Area, person: Person, pass_id: int, short: str, word: str, book: Wordbook) -> int:
    """Say what a word stands for: the wordbook learns it, and all names with it follow. Returns how many."""
    naming_pass = open_pass(area, pass_id)
    asked = naming_pass.words.filter(short=short).first()
    word = " ".join(word.replace("\x00", "").split())
    if asked is None:
        raise PassError(f"This pass does not ask for “{short}”.")
    if not word or len(word) > 200:
        raise PassError("Say a word of up to 200 letters.")
    _unlearn(asked)
    learned, new = wordbooks.learn(book=book, person=person, word=word, short=short)
    asked.state, asked.chosen, asked.book_word = PassWord.State.SETTLED, word, learned if new else None
    asked.save()
    return _rewrite(naming_pass, {short: (word, True)})


@transaction.atomic
def settle_certain(*, area: Area, person: Person, pass_id: int, book: Wordbook) -> int:
    """Settle all words whose likeliest meaning is certain enough. Returns how many words."""
    naming_pass = open_pass(area, pass_id)
    certain = [
        one
        for one in naming_pass.words.filter(state=PassWord.State.OPEN)
        if one.options and one.options[0][1] >= CERTAIN
    ]
    for asked in certain:
        asked.chosen = asked.options[0][0]
        learned, new = wordbooks.learn(book=book, person=person, word=asked.chosen, short=asked.short)
        asked.state, asked.book_word = PassWord.State.SETTLED, learned if new else None
    PassWord.objects.bulk_update(certain, ["state", "chosen", "book_word"], batch_size=1_000)
    _rewrite(naming_pass, {asked.short: (asked.chosen, True) for asked in certain})
    return len(certain)


@transaction.atomic
def leave(*, area: Area, pass_id: int, short: str) -> None:
    """Leave a word for later."""
    open_pass(area, pass_id).words.filter(short=short, state=PassWord.State.OPEN).update(state=PassWord.State.LEFT)


@transaction.atomic
def reopen(*, area: Area, pass_id: int, short: str) -> None:
    """Take back what was said of a word: the wordbook forgets what it learned by that, the names are open again."""
    naming_pass = open_pass(area, pass_id)
    asked = naming_pass.words.filter(short=short).first()
    if asked is None or asked.state == PassWord.State.OPEN:
        raise PassError(f"“{short}” is open.")
    was_settled = asked.state == PassWord.State.SETTLED
    _unlearn(asked)
    asked.state, asked.chosen, asked.book_word = PassWord.State.OPEN, "", None
    asked.save()
    if was_settled:
        _rewrite(
            naming_pass, {short: (asked.options[0][0] if asked.options else business_name([Part(short, short)]), False)}
        )


def _unlearn(asked: PassWord) -> None:
    learned = asked.book_word
    if learned is None or asked.short not in learned.shorts:
        return
    learned.shorts = [short for short in learned.shorts if short != asked.short]
    if learned.shorts or learned.meaning:
        learned.save()
    else:
        learned.delete()


def _rewrite(naming_pass: NamingPass, told: dict[str, tuple[str, bool]]) -> int:
    """Put words (with whether they are settled) into all names that have them and that no person wrote."""
    found = list(naming_pass.names.filter(words__overlap=list(told), written=False).values_list("pk", "parts"))
    rows = []
    for name_id, stored in found:
        parts = msgspec.convert(stored, list[Part])
        for part in parts:
            if part.word in told:
                part.full, part.settled = told[part.word]
                part.as_written, part.confidence = True, 1.0 if part.settled else part.confidence
        confidence = 1.0
        for part in parts:
            confidence *= part.confidence
        rows.append((
            name_id, business_name(parts)[: editing.LIMITS["business_name"]], json.dumps(msgspec.to_builtins(parts)),
            list(still_open(parts)), round(confidence, 3),
        ))  # fmt: skip
    with connection.cursor() as cursor:
        for start_at in range(0, len(rows), 5_000):
            batch = rows[start_at : start_at + 5_000]
            cursor.execute(
                "update naming_pass_name n set after = v.after, parts = v.parts::jsonb, open = v.open, confidence = v.confidence "
                "from (select unnest(%s::bigint[]) as id, unnest(%s::text[]) as after, unnest(%s::text[]) as parts, "
                "unnest(%s::float8[]) as confidence, (jsonb_array_elements(%s::jsonb)) as opened) raw, "
                "lateral (select raw.after, raw.parts, raw.confidence, array(select jsonb_array_elements_text(raw.opened)) as open) v "
                "where n.id = raw.id",
                [
                    [row[0] for row in batch],
                    [row[1] for row in batch],
                    [row[2] for row in batch],
                    [row[4] for row in batch],
                    json.dumps([row[3] for row in batch]),
                ],
            )
    return len(rows)


@transaction.atomic
def write_name(*, area: Area, person: Person, pass_id: int, name_id: int, after: str, lock: bool) -> PassName:
    """Write one name by hand, and lock it against later passes if that is wanted."""
    naming_pass = open_pass(area, pass_id)
    name = naming_pass.names.filter(pk=name_id).first()
    after = " ".join(after.replace("\x00", "").split())
    if name is None:
        raise PassError("The name is no longer in this pass.")
    if not after or len(after) > editing.LIMITS["business_name"]:
        raise PassError(f"Say a name of up to {editing.LIMITS['business_name']} letters.")
    name.after, name.written, name.locked, name.open, name.confidence = after, True, lock, [], 1.0
    name.save()
    if lock:
        LockedName.objects.update_or_create(target=name.target, object_id=name.object_id, defaults={"by": person})
    else:
        LockedName.objects.filter(target=name.target, object_id=name.object_id).delete()
    return name


# applying ---------------------------------------------------------------------------------------------------------------


def first_names(naming_pass: NamingPass, shorts: Sequence[str], limit: int) -> dict[str, list[PassName]]:
    """Return for each word the first names of the pass that have it, each name once; one query for all words."""
    found: dict[str, list[PassName]] = {}
    raw = PassName.objects.raw(
        "select n.*, s.short from unnest(%s::text[]) s(short) cross join lateral (select distinct on (name) * from "
        "(select * from naming_pass_name where naming_pass_id = %s and words @> array[s.short] order by place limit %s) few "
        "order by name, place) n order by n.place",
        [list(shorts), naming_pass.pk, 4 * limit],
    )
    for name in raw:
        names = found.setdefault(name.short, [])  # type: ignore[attr-defined]
        if len(names) < limit:
            names.append(name)
    return found


def counts(naming_passes: Sequence[NamingPass]) -> dict[int, dict[str, int]]:
    """Return by pass how many names are settled, wait for a word that has a proposal, or for one that is unclear; one query."""
    ids = [one.pk for one in naming_passes]
    with connection.cursor() as cursor:
        cursor.execute(
            "with unclear as (select p as id, coalesce((select array_agg(short::text) from naming_pass_word where naming_pass_id = p "
            "and state <> 'settled' and (jsonb_array_length(options) = 0 or (options->0->>1)::float < 0.6)), '{}') as shorts "
            "from unnest(%s::bigint[]) p) select unclear.id, count(*) filter (where open = '{}'), "
            "count(*) filter (where open <> '{}' and not open && shorts), count(*) filter (where open && shorts), "
            "count(*) filter (where open = '{}' and after <> before) "
            "from unclear join naming_pass_name n on n.naming_pass_id = unclear.id group by unclear.id",
            [ids],
        )
        found = {row[0]: row[1:] for row in cursor.fetchall()}
    told = {}
    for id_ in ids:
        settled, word, choice, to_apply = found.get(id_, (0, 0, 0, 0))
        told[id_] = {
            "settled": settled,
            "word": word,
            "choice": choice,
            "total": settled + word + choice,
            "to_apply": to_apply,
        }
    return told


@transaction.atomic
def apply(*, area: Area, person: Person, pass_id: int) -> ChangeSet:
    """Write all settled names into the model as one change set. Raises PassError where there is none.

    A name that somebody changed since the pass was made is left as it is.
    """
    naming_pass = open_pass(area, pass_id)
    why = f"Naming pass of {naming_pass.made_at:%-d %B %Y}"
    settled = PassName.objects.filter(naming_pass=naming_pass, open=[])
    rows = settled.values_list("target", "object_id", "before", "after")
    change_set = editing.write_many(
        area=area, person=person, model_id=naming_pass.model_id, why=why, field="business_name", values=rows
    )
    if change_set is None:
        raise PassError("No name is settled that differs from what the model has.")
    naming_pass.state, naming_pass.change_set = NamingPass.State.APPLIED, change_set
    naming_pass.save()
    return change_set


@transaction.atomic
def put_away(*, area: Area, pass_id: int) -> None:
    """End a pass without applying it. What the wordbook learned stays."""
    naming_pass = open_pass(area, pass_id)
    naming_pass.state = NamingPass.State.PUT_AWAY
    naming_pass.save()
