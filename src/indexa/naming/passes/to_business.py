"""Naming passes from physical to business names: what a pass proposes, and how names follow the words that are settled."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Sequence

import msgspec
from django.db import connection
from django.db.models import Q

from indexa.core.naming.evidence import Place
from indexa.core.naming.expanding import Expander, Part, business_name, still_open
from indexa.core.naming.places import joins_of
from indexa.jobs.progress import Progress
from indexa.modeling import editing
from indexa.naming.passes.models import LockedName, NamingPass, PassWord
from indexa.naming.wordbooks import services as wordbooks
from indexa.store.bulk import copy_rows
from indexa.store.loading import load_model
from indexa.store.models import DescribedColumn, StoredModel, StoredTable

_MOST_OPTIONS = 5
COLUMNS = (
    "naming_pass_id", "target", "object_id", "place", "name", "before", "after", "parts", "open", "words", "context_words", "notes",
    "confidence", "written", "locked",
)  # fmt: skip


def fill(made: NamingPass, progress: Progress) -> None:
    """Work out business names for the pass's model and store them in it."""
    model, kinds = made.model, made.kinds
    progress.report("Reading the names")
    objects = list(_objects(model))
    progress.report("Splitting and telling names", 1, 4)
    expander = Expander([place for *_, place in objects], wordbooks.stack_of(model.area), joins_of([load_model(model)]))
    expansions = expander.expand_all()
    progress.report("Gathering what is open", 2, 4)
    locked = set(LockedName.objects.filter(direction=made.direction).values_list("target", "object_id"))
    rows: list[tuple[object, ...]] = []
    asked = Counter[str]()
    for (target, object_id, full, before, place), found in zip(objects, expansions, strict=True):
        wanted = ("tables" if target == "table" else "columns") in kinds and not (made.only_missing and before)
        if not wanted or (target, object_id) in locked or not found.words:
            continue
        if found.business_name == before and not found.open:
            continue
        asked.update(found.open)
        rows.append((
            made.pk, target, object_id, full, place.name, before, found.business_name[: editing.LIMITS["business_name"]],
            msgspec.json.encode(found.parts).decode(), list(found.open), list(dict.fromkeys(found.words)),
            sorted(expander.table_words(place.table)), [], found.confidence, False, False,
        ))  # fmt: skip
    PassWord.objects.bulk_create(
        [
            PassWord(naming_pass=made, short=short[:200], count=count, options=options(expander, short))
            for short, count in asked.items()
        ],
        batch_size=2_000,
    )
    copy_rows("naming_pass_name", COLUMNS, rows, progress, "Storing proposals", len(rows))


def _objects(model: StoredModel) -> Iterable[tuple[str, int, str, str, Place]]:
    """Yield target, id (where the words are kept), full name, business name and place of all tables and columns."""
    tables = (
        StoredTable.objects.filter(model=model, removed_at__isnull=True)
        .select_related("entity")
        .order_by("schema", "name")
    )
    for table in tables:
        message = table.comment or table.definition
        before = table.business_name or (table.entity.business_name if table.entity else "")
        yield "table", table.entity_id or table.pk, table.full_name, before, Place(name=table.name, comment=message)
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


def options(expander: Expander, short: str) -> list[list[object]]:
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


Told = dict[str, tuple[str, bool]]
"""By a word of names: what it becomes, and whether that is settled."""


def rewrite(naming_pass: NamingPass, told: Told, context_words: Sequence[str] = ()) -> int:
    """Put words into all names that have them and that no person wrote, or into those that have company `beside`. Returns how many."""
    names = naming_pass.names.filter(words__overlap=list(told), written=False)
    if context_words:
        names = names.filter(Q(words__overlap=list(context_words)) | Q(context_words__overlap=list(context_words)))
    found = list(names.values_list("pk", "parts"))
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
