"""Physical models made of stored logical ones: a job that names, types and stores them."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
from django.db import transaction
from django.urls import reverse

from indexa.adapters.templates import render_confined
from indexa.areas.models import Area, Person
from indexa.core.building.parts import BuildError
from indexa.core.ddl.targets import TARGETS
from indexa.core.logical.options import DeriveOptions
from indexa.core.logical.physical import Derived, derive_physical
from indexa.core.model import Model
from indexa.core.naming.standard import DEFAULT
from indexa.jobs import services as jobs
from indexa.jobs.errors import JobFailedError
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.jobs.registry import Arguments, background
from indexa.naming.standards import services as standards
from indexa.naming.standards.models import StoredStandard
from indexa.naming.wordbooks import services as wordbooks
from indexa.store.bulk import refresh_statistics, reserve_ids
from indexa.store.loading import load_model
from indexa.store.models import Layer, StoredModel
from indexa.store.rows import RowWriter
from indexa.store.signals import send_model_changed


class DeriveArguments(Arguments):
    """What is made of which logical model, and by which standard (0 for the plain one)."""

    logical: int
    platform: str
    name: str
    schema: str = ""
    standard: int = 0
    options: dict[str, str] = {}


def start(
    *,
    area: Area,
    person: Person,
    logical: StoredModel,
    platform: str,
    name: str,
    schema: str,
    standard: int,
    options: Mapping[str, str] | None = None,
) -> Job:
    """Start the job. Raises BuildError for a name that is taken, what is unknown of platform and options, and an empty model."""
    name = " ".join(name.replace("\x00", "").split())[:120]
    if not name:
        raise BuildError("The model needs a name.")
    if platform not in TARGETS:
        raise BuildError(f"“{platform}” is no platform that models are derived for.")
    if logical.layer != Layer.LOGICAL:
        raise BuildError("A physical model is derived from a logical one.")
    if StoredModel.objects.filter(area=area, layer=Layer.PHYSICAL, name=name).exists():
        raise BuildError(f"There is a physical model {name} already. Take another name.")
    if not logical.tables.filter(removed_at__isnull=True).exists():
        raise BuildError(f"{logical.name} has no entities yet.")
    return jobs.start(
        area=area, kind="derive", title=f"Deriving {name} from {logical.name}", person=person, logical=logical.pk, platform=platform,
        name=name, schema=schema.strip()[:100], standard=standard, options=msgspec.to_builtins(options_of(options or {})),
    )  # fmt: skip


def options_of(given: Mapping[str, str]) -> DeriveOptions:
    """Return options by their names. Raises BuildError for one that is none."""
    try:
        return msgspec.convert({name: value for name, value in given.items() if value}, DeriveOptions)
    except msgspec.ValidationError as error:
        raise BuildError(f"This is nothing that can be chosen: {error}.") from error


def derived_anew(area: Area, model: StoredModel) -> Derived:
    """Return what a physical model would be if it were derived now, by the choices with which it was made. Raises BuildError."""
    logical = model.logical
    made = Job.objects.filter(area=area, kind="derive", arguments__name=model.name).order_by("-pk").first()
    if logical is None or model.snapshot_id is not None or made is None:
        raise BuildError(f"{model.name} was not derived from a logical model.")
    return _derived(area, logical, DeriveArguments(**made.arguments))


def _derived(area: Area, logical: StoredModel, given: DeriveArguments) -> Derived:
    stored = StoredStandard.objects.filter(pk=given.standard, area=area).first()
    return derive_physical(
        load_model(logical, with_words=True), given.platform, standards.core_standard(stored) if stored else DEFAULT,
        wordbooks.stack_of(area), name=given.name, schema=given.schema, renderer=render_confined, options=options_of(given.options),
    )  # fmt: skip


@background("derive", DeriveArguments)
def derive(job: Job, progress: Progress) -> str:
    """Make the physical model of the job's logical one. Returns its address."""
    given = DeriveArguments(**job.arguments)
    logical = StoredModel.objects.filter(pk=given.logical, area=job.area).first()
    if logical is None:
        raise JobFailedError("The logical model was deleted.")
    progress.report("Naming and typing", 0, 1)
    stored = StoredStandard.objects.filter(pk=given.standard, area=job.area).first()
    derived = _derived(job.area, logical, given)
    made = _store(job.area, derived.model, logical, progress)
    made.comment = "\n".join(derived.notes[:200])
    made.save(update_fields=["comment"])
    if stored is not None:
        stored.governs.add(made)
        standards.check_or_queue(made, job.started_by)
    return reverse("building:ddl", args=[job.area.slug, made.pk])


@transaction.atomic
def _store(area: Area, model: Model, logical: StoredModel, progress: Progress) -> StoredModel:
    """Store a derived model, whose parts name the entities and attributes that they realise by their stored ids."""
    made = StoredModel.objects.create(
        area=area, layer=Layer.PHYSICAL, name=model.name, logical=logical, platform=model.platform,
        schemas=[{"name": schema} for schema in sorted({table.schema for table in model.tables} - {""})],
    )  # fmt: skip
    columns = [column for table in model.tables for column in table.columns]
    for number, table in zip(reserve_ids("model_table", len(model.tables)), model.tables, strict=True):
        table.id = f"t{number}"
    for number, column in zip(reserve_ids("model_column", len(columns)), columns, strict=True):
        column.id = f"c{number}"
    writer = RowWriter(model.platform, progress, {}, {})
    writer.copy_tables(made.pk, model.tables, Layer.PHYSICAL)
    writer.copy_columns(model.tables, Layer.PHYSICAL)
    writer.copy_owned(model.tables)
    writer.copy_objects(made.pk, model)
    refresh_statistics()
    send_model_changed(models=[made.pk])
    return made
