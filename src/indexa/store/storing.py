"""Storing what a first intake read: the physical model, the logical one beside it, and their links.

A later reading of the same source goes into the store by `updating`, which touches only what differs. Everything happens
in the caller's transaction.
"""

from __future__ import annotations

import hashlib
import zlib
from concurrent.futures import ThreadPoolExecutor

import msgspec
from django.utils import timezone

from indexa.areas.models import Area
from indexa.core.logical.derive import derive_logical
from indexa.core.model import Model, Table, file
from indexa.jobs.progress import Progress
from indexa.store.bulk import refresh_statistics, reserve_ids
from indexa.store.known import KnownColumn, KnownTable, load_known
from indexa.store.locks import hold_for_storing
from indexa.store.models import Layer, Snapshot, StoredModel
from indexa.store.rows import RowWriter
from indexa.store.signals import send_model_changed


def keep_snapshot(model: Model) -> Snapshot:
    """Keep what a source said, once for each content."""
    content = file.write(model)
    digest = hashlib.sha256(content).hexdigest()
    found = Snapshot.objects.filter(pk=digest).defer("content").first()
    return found or Snapshot.objects.create(digest=digest, content=zlib.compress(content, 1), size=len(content))


class SnapshotKeeping:
    """Keeping what a source said, packed beside other work: packing a large model takes as long as comparing it."""

    def __init__(self, model: Model) -> None:
        self._content = file.write(model)
        self._worker = ThreadPoolExecutor(1)
        self._packed = self._worker.submit(self._pack)

    def _pack(self) -> tuple[str, bytes]:
        """Return digest and packed content; both are worked out in C, while other threads go on."""
        return hashlib.sha256(self._content).hexdigest(), zlib.compress(self._content, 1)

    def keep(self) -> Snapshot:
        """Wait for the packing and store its result, if that content is not there yet."""
        digest, packed = self._packed.result()
        self._worker.shutdown()
        found = Snapshot.objects.filter(pk=digest).defer("content").first()
        return found or Snapshot.objects.create(digest=digest, content=packed, size=len(self._content))


class SnapshotUnpacking:
    """Unpacking a model's state of the source beside its reading, which waits for a server most of the time."""

    def __init__(self, snapshot: Snapshot) -> None:
        self.digest = snapshot.pk
        content = bytes(snapshot.content)
        worker = ThreadPoolExecutor(1)
        self._unpacked = worker.submit(lambda: file.read(zlib.decompress(content)))
        worker.shutdown(wait=False)  # it takes nothing more, and ends by itself

    def wait(self) -> Model:
        """Return the model once it is there."""
        return self._unpacked.result()


def read_snapshot(snapshot: Snapshot) -> Model:
    """Return the model that a snapshot holds."""
    return file.read(zlib.decompress(snapshot.content))


def store_reading(*, area: Area, reading: Model, logical: StoredModel | None, progress: Progress) -> StoredModel:
    """Store a first reading as a new model; `logical` is the logical model to implement, None makes one."""
    snapshot = keep_snapshot(reading)
    physical = StoredModel(area=area, layer=Layer.PHYSICAL, name=reading.name, snapshot=snapshot)
    physical.logical = logical or _new_logical(area, reading.name)
    describe(physical, reading)
    physical.save()
    hold_for_storing(physical.pk)
    hold_for_storing(physical.logical.pk)
    _Storing(physical, reading, progress).store()
    return physical


def describe(physical: StoredModel, reading: Model) -> None:
    """Write down what a reading says of the model as a whole."""
    physical.platform, physical.platform_version = reading.platform, reading.platform_version
    physical.comment, physical.read_at = reading.comment, timezone.now()
    physical.schemas = msgspec.to_builtins(reading.schemas)


def _new_logical(area: Area, name: str) -> StoredModel:
    taken = set(StoredModel.objects.filter(area=area, layer=Layer.LOGICAL).values_list("name", flat=True))
    candidates = (
        f"{name} logical" if number == 1 else f"{name} logical {number}" for number in range(1, len(taken) + 2)
    )
    return StoredModel.objects.create(
        area=area, layer=Layer.LOGICAL, name=next(n for n in candidates if n not in taken)
    )


class _Storing:
    """One storing: gives out ids, then copies kind after kind."""

    def __init__(self, physical: StoredModel, reading: Model, progress: Progress) -> None:
        assert physical.logical is not None
        self._physical, self._logical = physical, physical.logical
        self._reading, self._progress = reading, progress
        self._total = 2 * sum(len(table.columns) for table in reading.tables)
        self._known_logical = load_known(self._logical.pk)
        self._entities: dict[str, KnownTable] = {}
        self._attributes: dict[str, KnownColumn] = {}

    def store(self) -> None:
        """Store everything."""
        reading = self._reading
        self._progress.report("Giving out identities", 0, self._total)
        self._give_ids()
        derived = derive_logical(reading, self._logical.name)
        fresh = self._match_logical(derived)
        writer = RowWriter(reading.platform, self._progress, {}, {})
        writer.copy_tables(self._logical.pk, fresh, Layer.LOGICAL)
        writer.copy_columns(derived.tables, Layer.LOGICAL)
        writer.copy_tables(self._physical.pk, reading.tables, Layer.PHYSICAL)
        writer.copy_columns(reading.tables, Layer.PHYSICAL)
        writer.copy_owned(fresh)
        writer.copy_owned(reading.tables)
        writer.copy_objects(self._physical.pk, reading)
        self._progress.report("Making the dictionary", self._total, self._total)
        refresh_statistics()
        send_model_changed(models=[self._logical.pk, self._physical.pk])

    def _give_ids(self) -> None:
        """Give every table and column an id of its own."""
        tables = self._reading.tables
        columns = [column for table in tables for column in table.columns]
        for number, table in zip(reserve_ids("model_table", len(tables)), tables, strict=True):
            table.id = f"t{number}"
        for number, column in zip(reserve_ids("model_column", len(columns)), columns, strict=True):
            column.id = f"c{number}"

    def _match_logical(self, derived: Model) -> list[Table]:
        """Give ids to entities and attributes: those of the same name in a logical model that is there, or new ones.

        Returns the entities that are new; `_attributes` then tells which attributes are not.
        """
        fresh: list[Table] = []
        new_columns = []
        same_name = self._known_logical.find_tables(derived.tables)
        for entity in derived.tables:
            old_entity = same_name.get((entity.schema, entity.name))
            if old_entity is None:
                fresh.append(entity)
                new_columns.extend(entity.columns)
                continue
            self._entities[entity.id] = old_entity
            found = old_entity.find_columns(entity.columns)
            for attribute in entity.columns:
                old_attribute = found.get(attribute.name)
                if old_attribute is None:
                    new_columns.append(attribute)
                else:
                    self._attributes[attribute.id] = old_attribute
        ids: dict[str, str] = {key: f"t{old.id}" for key, old in self._entities.items()}
        ids |= {key: f"c{old.id}" for key, old in self._attributes.items()}
        for number, entity in zip(reserve_ids("model_table", len(fresh)), fresh, strict=True):
            ids[entity.id] = f"t{number}"
        for number, attribute in zip(reserve_ids("model_column", len(new_columns)), new_columns, strict=True):
            ids[attribute.id] = f"c{number}"
        for table in self._reading.tables:
            table.realises = ids.get(table.realises, "")
            for column in table.columns:
                column.realises = ids.get(column.realises, "")
        known_ids = set(self._attributes)
        for entity in derived.tables:
            was_known = entity.id in self._entities
            entity.id = ids[entity.id]
            kept = []
            for attribute in entity.columns:
                if not was_known or attribute.id not in known_ids:
                    kept.append(attribute)
                attribute.id, attribute.migrated_from = (
                    ids[attribute.id],
                    ids.get(attribute.migrated_from, ""),
                )
            if was_known:
                entity.columns = kept  # only what the entity does not have yet is stored
        return fresh
