"""Deciding proposals: one, a pattern, a table, or all that are sure enough; each decision one change set that undo takes back."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.urls import reverse
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.changes.models import ChangeSet
from indexa.changes.recording import Recorder, record
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.modeling.editing import LIMITS, place_of
from indexa.proposals import same_entities
from indexa.proposals.errors import ProposalError
from indexa.proposals.models import StoredProposal
from indexa.store import assertions
from indexa.store.assertions import Assertion
from indexa.store.errors import EditError
from indexa.store.locks import try_for_editing
from indexa.store.models import DescribedColumn, StoredColumn, StoredKey, StoredRelationship, StoredTable

AT_ONCE = 400
"""More proposals than these are decided in the background."""
_KEYS = {"primary_key": "primary", "unique": "unique"}
_PARTS = {
    "code_table": "code table", "many_to_many": "many-to-many table", "subtype": "subtype", "fact": "fact", "dimension": "dimension",
    "bridge": "bridge", "aggregate": "aggregate",
}  # fmt: skip
REFERENCES = ("foreign_key", "typed_reference")


@transaction.atomic
def decide(
    *, area: Area, person: Person, proposals: QuerySet[StoredProposal], accept: bool
) -> tuple[ChangeSet | None, int]:
    """Accept or reject the open ones among these proposals of one model, as one change set; return it and how many.

    Where two of them exclude each other (two primary keys of a table, two targets of one column) the likelier one is
    accepted and the other stays open. Raises ProposalError while the model is being read.
    """
    found = list(
        proposals.filter(model__area=area, state=StoredProposal.State.OPEN)
        .select_for_update(of=("self",))
        .order_by("-confidence", "pk")
    )
    if not found:
        return None, 0
    model_id = found[0].model_id
    if not try_for_editing(model_id):
        raise ProposalError(
            "The model is being read again at this moment. Nothing was decided: try again in half a minute."
        )
    wanted = _that_hold(found) if accept else found
    if not wanted:
        raise ProposalError(
            "None of these can be accepted: their tables or columns are no longer there, or already have such a key or definition. Look for proposals again."
        )
    state = StoredProposal.State.ACCEPTED if accept else StoredProposal.State.REJECTED
    with record(area=area, person=person, why=_why(wanted, accept), model_id=model_id) as changes:
        if accept:
            _accept(changes, wanted)
        for one in wanted:
            changes.update("proposal", one.pk, str(one), "state", before="open", after=str(state))
        StoredProposal.objects.filter(pk__in=[one.pk for one in wanted]).update(
            state=state, decided_by=person, decided_at=timezone.now(), change_set=changes.change_set
        )
    return changes.change_set, len(wanted)


class DecideArguments(Arguments):
    """Which proposals of a model are decided, and how."""

    model: int
    of: dict[str, Any]
    accept: bool


@background("decide proposals", DecideArguments)
def decide_in_background(job: Job, progress: Progress) -> str:
    """Decide what the job names: proposals of a model, all or of a kind, pattern or table. Returns the page's address."""
    assert job.started_by is not None
    given = job.arguments
    progress.report("Writing the keys and relationships" if given["accept"] else "Writing down what was rejected")
    found = StoredProposal.objects.filter(model_id=given["model"], **given["of"])
    try:
        decide(area=job.area, person=job.started_by, proposals=found, accept=given["accept"])
    except (ProposalError, EditError) as error:
        raise JobFailedError(str(error)) from error
    return reverse("proposals:page", args=[job.area.slug, given["model"]])


def _why(wanted: Sequence[StoredProposal], accept: bool) -> str:
    verb = "Accepted" if accept else "Rejected"
    if len(wanted) == 1:
        one = wanted[0]
        target = f" → `{one.ref_table_name}`" if one.ref_table_name else ""
        return f"{verb}: {one.get_kind_display().lower()} `{one.table_name}({', '.join(one.columns)})`{target}"
    return f"{verb} {len(wanted):,} proposals"


def _that_hold(found: Sequence[StoredProposal]) -> list[StoredProposal]:
    """Return those whose tables and columns are there, and which nothing declared or likelier excludes."""
    tables = {one.table_id for one in found} | {one.ref_table_id for one in found if one.ref_table_id}
    alive = set(StoredTable.objects.filter(pk__in=tables, removed_at__isnull=True).values_list("pk", flat=True))
    ids = {id_ for one in found for id_ in (*one.column_ids, *one.ref_column_ids)}
    columns = set(StoredColumn.objects.filter(pk__in=ids, removed_at__isnull=True).values_list("pk", flat=True))
    keyed = set(StoredKey.objects.filter(table_id__in=tables, kind="primary").values_list("table_id", flat=True))
    referring = {
        (table, tuple(own))
        for table, own in StoredRelationship.objects.filter(table_id__in=tables).values_list("table_id", "column_ids")
    }
    described = _described([one for one in found if one.kind == "definition"])
    implementing: set[tuple[str, int]] = set()
    held: list[StoredProposal] = []
    for one in found:
        if one.table_id not in alive or (one.ref_table_id and one.ref_table_id not in alive):
            continue
        if not columns.issuperset([*one.column_ids, *one.ref_column_ids]):
            continue
        if one.kind == "primary_key":
            if one.table_id in keyed:
                continue
            keyed.add(one.table_id)
        elif one.kind == "foreign_key":
            if (one.table_id, tuple(one.column_ids)) in referring:
                continue
            referring.add((one.table_id, tuple(one.column_ids)))
        elif one.kind == "same_entity":
            if ("entity", one.table_id) in implementing or ("by", one.ref_table_id or 0) in implementing:
                continue
            implementing |= {("entity", one.table_id), ("by", one.ref_table_id or 0)}
        elif one.kind == "definition":
            if _place(one) in described:
                continue
            described.add(_place(one))
        held.append(one)
    return held


def _place(one: StoredProposal) -> tuple[str, int]:
    return ("column", one.column_ids[0]) if one.column_ids else ("table", one.table_id)


def _described(found: Sequence[StoredProposal]) -> set[tuple[str, int]]:
    """Return the tables and columns of these that show a definition, wherever it is kept."""
    columns = DescribedColumn.objects.filter(pk__in=[one.column_ids[0] for one in found if one.column_ids])
    shown = {("column", id_) for id_ in columns.exclude(definition="").values_list("pk", flat=True)}
    tables = StoredTable.objects.filter(pk__in=[one.table_id for one in found if not one.column_ids])
    own = tables.exclude(definition="") | tables.exclude(entity=None).exclude(entity__definition="")
    return shown | {("table", id_) for id_ in own.values_list("pk", flat=True)}


def _accept(changes: Recorder, wanted: Sequence[StoredProposal]) -> None:
    assertions.assert_all(changes, [text for one in wanted for text in _assertion(one)])
    _name_parts(changes, [one for one in wanted if one.kind in _PARTS])
    _bring_repeated(changes, [one for one in wanted if one.kind == "repeated_column"])
    _define(changes, [one for one in wanted if one.kind == "definition"])
    same_entities.accept(changes, [one for one in wanted if one.kind == "same_entity"])


def _assertion(one: StoredProposal) -> Iterable[Assertion]:
    if one.kind in _KEYS:
        yield Assertion(
            kind=_KEYS[one.kind], name=f"{one.table_name.rsplit('.', 1)[-1]} {_KEYS[one.kind]} key", table=one.table_id,
            columns=one.column_ids,
        )  # fmt: skip
    elif one.kind in REFERENCES and one.ref_table_id and len(one.ref_column_ids) == len(one.column_ids):
        yield Assertion(
            kind="foreign", name=f"{one.table_name.rsplit('.', 1)[-1]} to {one.ref_table_name.rsplit('.', 1)[-1]}",
            table=one.table_id, columns=one.column_ids, ref_table=one.ref_table_id, ref_columns=one.ref_column_ids,
            only_where=one.only_where,
        )  # fmt: skip


def _name_parts(changes: Recorder, wanted: Sequence[StoredProposal]) -> None:
    """Write down the parts that tables play; a table that plays two keeps both."""
    tables = StoredTable.objects.in_bulk([one.table_id for one in wanted])
    before = {id_: table.table_role for id_, table in tables.items()}
    for one in wanted:
        table, part = tables[one.table_id], _PARTS[one.kind]
        if part not in table.table_role.split("; "):
            table.table_role = f"{table.table_role}; {part}" if table.table_role else part
    changed = [table for id_, table in tables.items() if table.table_role != before[id_]]
    for table in changed:
        changes.update("table", table.pk, table.full_name, "table_role", before[table.pk], table.table_role)
    StoredTable.objects.bulk_update(changed, ["table_role"], batch_size=2_000)


def _define(changes: Recorder, wanted: Sequence[StoredProposal]) -> None:
    """Write definitions where a person's edit of them would go: to the attribute or entity, where there is one."""
    texts: dict[tuple[str, int], str] = {}
    columns = StoredColumn.objects.in_bulk([one.column_ids[0] for one in wanted if one.column_ids])
    tables = StoredTable.objects.in_bulk([one.table_id for one in wanted if not one.column_ids])
    for one in wanted:
        item = columns[one.column_ids[0]] if one.column_ids else tables[one.table_id]
        place = place_of(item, only_here=False)
        texts.setdefault((place.target, place.object_id), one.text[: LIMITS["definition"]])
    for target, kept in (("column", StoredColumn), ("table", StoredTable)):
        ids = [id_ for kind, id_ in texts if kind == target]
        found: Any = kept.objects.filter(pk__in=ids, definition="")
        items = list(found.select_related("table") if target == "column" else found)
        for item in items:
            label = f"{item.table.full_name}.{item.name}" if target == "column" else item.full_name
            item.definition = texts[target, item.pk]
            changes.update(target, item.pk, label, "definition", before="", after=item.definition)
        kept.objects.bulk_update(items, ["definition"], batch_size=2_000)


def _bring_repeated(changes: Recorder, wanted: Sequence[StoredProposal]) -> None:
    """Let repeated columns show the words of those that they repeat."""
    ids = {id_ for one in wanted for id_ in (*one.column_ids, *one.ref_column_ids)}
    attribute = dict(StoredColumn.objects.filter(pk__in=ids).values_list("pk", "attribute_id"))
    pairs = [
        (attribute[one.column_ids[0]], attribute[one.ref_column_ids[0]])
        for one in wanted
        if attribute.get(one.column_ids[0]) and attribute.get(one.ref_column_ids[0])
    ]
    assertions.bring(changes, [(own, theirs) for own, theirs in pairs if own and theirs])
