"""Proposals that a table is what an entity of its logical model is already, as after a second system was read into it."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Sequence
from typing import Any

import msgspec

from indexa.areas.models import Area
from indexa.changes.recording import Recorder
from indexa.core.logical.matching import ColumnShape, Match, Shape, match
from indexa.core.model import VIEW_KINDS
from indexa.core.naming.splitting import Splitter
from indexa.core.naming.wordbook import Stack
from indexa.naming.wordbooks.services import stack_of
from indexa.proposals.models import StoredProposal
from indexa.store.models import StoredColumn, StoredModel, StoredTable

KIND = StoredProposal.Kind.SAME_ENTITY
_PATTERN = "entities that are there already"


def find(model: StoredModel) -> list[StoredProposal]:
    """Return what is proposed for a physical model that shares its logical model with others, or whose logical one has more."""
    if model.logical_id is None:
        return []
    shapes = _Shapes(model.area)
    tables, entities = _candidates(model)
    if not tables or not entities:
        return []
    by_id = {one.pk: one for one in (*tables, *entities)}
    return [_proposal(model, one, by_id) for one in match(shapes.of(tables), shapes.of(entities))]


def _candidates(model: StoredModel) -> tuple[list[StoredTable], list[StoredTable]]:
    """Return the tables whose entity is theirs alone, and the entities that no table of the model implements."""
    own = StoredTable.objects.filter(model=model, removed_at__isnull=True).exclude(kind__in=VIEW_KINDS)
    implemented = set(own.values_list("entity_id", flat=True))
    others = StoredTable.objects.filter(entity__in=implemented, removed_at__isnull=True).exclude(model=model)
    shared = set(others.values_list("entity_id", flat=True))
    entities = StoredTable.objects.filter(model=model.logical_id, removed_at__isnull=True).exclude(pk__in=implemented)
    return [one for one in own.select_related("entity") if one.entity_id not in shared], list(entities)


class _Shapes:
    """Reads names as words, with the wordbooks of an area."""

    def __init__(self, area: Area) -> None:
        self._stack: Stack = stack_of(area)
        self._splitter = Splitter(self._stack.abbreviations())

    def words(self, name: str, business_name: str) -> frozenset[str]:
        """Return the words of a business name, else those that a machine name stands for, in the singular."""
        pieces = [one.lower() for one in (business_name.split() if business_name else self._splitter.split(name))]
        found: set[str] = set()
        for piece in pieces:
            known, _ = (None, False) if business_name else self._stack.choose(piece, pieces)
            for word in (known.word if known else piece).lower().split():
                found.add(word[:-1] if len(word) > 3 and word.endswith("s") and not word.endswith("ss") else word)
        return frozenset(found)

    def of(self, tables: Sequence[StoredTable]) -> list[Shape]:
        """Return tables with their columns as the core compares them."""
        columns: defaultdict[int, list[ColumnShape]] = defaultdict(list)
        rows = StoredColumn.objects.filter(table__in=tables, removed_at__isnull=True).select_related("attribute")
        for one in rows.order_by("table_id", "position"):
            business_name = one.business_name or (one.attribute.business_name if one.attribute else "")
            words = self.words(one.name, business_name)
            columns[one.table_id].append(ColumnShape(one.pk, one.name, words, one.family))
        return [
            Shape(one.pk, one.full_name, self.words(one.name, _named(one)), tuple(columns[one.pk])) for one in tables
        ]


def _named(table: StoredTable) -> str:
    return table.business_name or (table.entity.business_name if table.entity_id and table.entity else "")


def _proposal(model: StoredModel, one: Match, by_id: dict[int, StoredTable]) -> StoredProposal:
    table, entity = by_id[one.table], by_id[one.entity]
    names = dict(StoredColumn.objects.filter(table__in=(one.table, one.entity)).values_list("pk", "name"))
    identity = hashlib.sha256(msgspec.json.encode([str(KIND), one.table, one.entity])).hexdigest()
    return StoredProposal(
        model=model, kind=KIND, identity=identity, pattern=_PATTERN, table_id=one.table, table_name=table.full_name,
        column_ids=[own for own, _ in one.columns], columns=[names[own] for own, _ in one.columns], ref_table_id=one.entity,
        ref_table_name=entity.full_name, ref_column_ids=[other for _, other in one.columns],
        ref_columns=[names[other] for _, other in one.columns], confidence=one.confidence, evidence=list(one.evidence),
    )  # fmt: skip


_WORDS = ("business_name", "definition")


def accept(changes: Recorder, wanted: Sequence[StoredProposal]) -> None:
    """Let tables implement the entities they are, and their columns the attributes.

    Words of what they implemented go along where the new one has none. The old one stays in the logical model until somebody
    deletes it.
    """
    tables = StoredTable.objects.in_bulk([id_ for one in wanted for id_ in (one.table_id, one.ref_table_id) if id_])
    columns = StoredColumn.objects.select_related("table", "attribute").in_bulk(
        [id_ for one in wanted for id_ in (*one.column_ids, *one.ref_column_ids)]
    )
    for one in wanted:
        table, entity = tables[one.table_id], tables[one.ref_table_id or 0]
        _bring_words(changes, "table", table.entity, entity, entity.full_name)
        changes.update("table", table.pk, table.full_name, "entity_id", table.entity_id, entity.pk)
        table.entity = entity
        for own, other in zip(one.column_ids, one.ref_column_ids, strict=True):
            column, attribute = columns[own], columns[other]
            if column.attribute_id == other:
                continue
            _bring_words(changes, "column", column.attribute, attribute, f"{entity.full_name}.{attribute.name}")
            changes.update(
                "column", own, f"{table.full_name}.{column.name}", "attribute_id", column.attribute_id, other
            )
            column.attribute = attribute
    StoredTable.objects.bulk_update(tables.values(), ["entity", *_WORDS], batch_size=2_000)
    StoredColumn.objects.bulk_update(columns.values(), ["attribute", *_WORDS], batch_size=2_000)


def _bring_words(changes: Recorder, target: str, old: Any, new: Any, label: str) -> None:
    for field in _WORDS:
        word = getattr(old, field, "") if old is not None else ""
        if word and not getattr(new, field):
            changes.update(target, new.pk, label, field, "", word)
            setattr(new, field, word)
