"""Finding what a model does not declare, in the background, and keeping it beside what was decided before."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Any

import msgspec
from django.db import transaction
from django.urls import reverse

from indexa.adapters.errors import SourceError
from indexa.areas.models import Area, Person
from indexa.core.infer.asking import ask_in_rounds
from indexa.core.infer.comments import comment_definitions
from indexa.core.infer.data import DataSaid
from indexa.core.infer.proposal import Proposal
from indexa.core.infer.proposing import propose
from indexa.core.model import Model
from indexa.core.naming.wordbook import Stack
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.naming.wordbooks.services import stack_of
from indexa.proposals import same_entities
from indexa.proposals.models import StoredProposal
from indexa.sources import opening as sources
from indexa.sources.models import Source
from indexa.store.loading import load_model
from indexa.store.models import Layer, StoredModel


def start(*, area: Area, person: Person, model: StoredModel, ask_rows: bool = False) -> Job:
    """Let a job look for what the model does not declare; `ask_rows` lets it sample the rows of the model's source."""
    return jobs.start(
        area=area, kind="proposals", title=f"Looking for what {model.name} does not declare", person=person, model=model.pk,
        ask_rows=ask_rows,
    )  # fmt: skip


class FindArguments(Arguments):
    """Which model is looked through, and whether rows are asked; what was not asked is noted."""

    model: int
    ask_rows: bool = False
    unasked: list[str] = []


@background("proposals", FindArguments)
def find(job: Job, progress: Progress) -> str:
    """Look for proposals in the job's model. Returns the address of their page."""
    stored = StoredModel.objects.filter(pk=job.arguments["model"], area=job.area, layer=Layer.PHYSICAL).first()
    if stored is None:
        raise JobFailedError("The model was deleted before it could be looked at.")
    progress.report("Loading the model")
    model = load_model(stored, with_words=True)
    stack = stack_of(job.area)
    data = _ask(stored, model, stack, progress) if job.arguments.get("ask_rows") else None
    found = propose(model, stack, data, progress.report)
    progress.report("Keeping what was found")
    keep(stored, model, [*found, *comment_definitions(model)], same_entities.find(stored))
    if data is not None:
        job.arguments["unasked"] = data.said
        job.save(update_fields=["arguments"])
    return reverse("proposals:page", args=[job.area.slug, stored.pk])


def _ask(stored: StoredModel, model: Model, stack: Stack, progress: Progress) -> DataSaid:
    """Ask the rows of the source that the model was read from, if its steward allows that."""
    source = Source.objects.filter(model=stored, asks_rows=True).order_by("pk").first()
    if source is None:
        raise JobFailedError(
            "No source of this model allows its rows to be asked.", "Allow it on the source's page, or look without."
        )
    try:
        with sources.reading(source) as opened:
            return ask_in_rounds(
                model, stack, lambda asked, seconds: opened.ask_rows(asked, progress.report, seconds), progress.report
            )
    except SourceError as error:
        raise JobFailedError(error.message, error.hint) from error


@transaction.atomic
def keep(stored: StoredModel, model: Model, found: list[Proposal], more: Sequence[StoredProposal] = ()) -> int:
    """Put what was found in the place of what is open; what was decided stays decided. Returns how many are open now.

    `more` are proposals that are ready to be kept.
    """
    StoredProposal.objects.filter(model=stored, state=StoredProposal.State.OPEN).delete()
    decided = set(StoredProposal.objects.filter(model=stored).values_list("identity", flat=True))
    tables = {(table.schema, table.name): table for table in model.tables}
    rows = []
    for one in found:
        table = tables[one.schema, one.table]
        ids = {column.name: int(column.id[1:]) for column in table.columns}
        parent = tables.get((one.ref_schema, one.ref_table)) if one.ref_table else None
        ref_ids = {column.name: int(column.id[1:]) for column in parent.columns} if parent else {}
        known: dict[str, Any] = {
            "kind": one.kind, "table_id": int(table.id[1:]), "column_ids": [ids[name] for name in one.columns],
            "ref_table_id": int(parent.id[1:]) if parent else None,
            "ref_column_ids": [ref_ids[name] for name in one.ref_columns if name in ref_ids],
        }  # fmt: skip
        if one.text:
            known["text"] = one.text
        where = f"{one.type_column} = '{one.type_value}'" if one.type_value else ""
        identity = hashlib.sha256(msgspec.json.encode([known, where])).hexdigest()
        if identity in decided:
            continue
        decided.add(identity)
        rows.append(StoredProposal(
            model=stored, identity=identity, pattern=one.pattern, table_name=table.full_name, columns=list(one.columns),
            ref_table_name=parent.full_name if parent else "", ref_columns=list(one.ref_columns), confidence=one.confidence,
            evidence=list(one.evidence), cardinality=one.cardinality, optional=one.optional, only_where=where, **known,
        ))  # fmt: skip
    rows += [one for one in more if one.identity not in decided]
    StoredProposal.objects.bulk_create(rows, batch_size=2_000)
    return len(rows)
