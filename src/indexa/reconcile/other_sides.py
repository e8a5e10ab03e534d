"""What a model can be compared with: a source as it was read last, another model, a version, its logical model, or a file."""

from __future__ import annotations

from typing import NamedTuple

import msgspec

from indexa.areas.models import Area
from indexa.building.deriving import derived_anew
from indexa.core.compare.matching import KnownRenames
from indexa.core.model import Model
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ModelBranch, ModelComparison, ModelVersion
from indexa.sources.models import Intake, Source
from indexa.store.loading import load_model
from indexa.store.models import Snapshot, StoredColumn, StoredModel, StoredTable
from indexa.store.storing import keep_snapshot


class OtherSide(NamedTuple):
    """A state that a model is compared with; `base` is the one that both come from, where that is known."""

    snapshot: Snapshot
    label: str
    base: Snapshot | None = None
    base_label: str = ""
    renames: KnownRenames = KnownRenames()
    """What people call otherwise in the model."""
    source: Source | None = None
    model: StoredModel | None = None


def state_of(model: StoredModel) -> Model:
    """Return a model as it is compared: in today's names, without what people only assert or say of it."""
    found = load_model(model)
    for table in found.tables:
        if table.primary_key is not None and table.primary_key.asserted:
            table.primary_key = None
        table.unique = [key for key in table.unique if not key.asserted]
        table.foreign_keys = [
            msgspec.structs.replace(key, phrase="", phrase_back="") for key in table.foreign_keys if not key.asserted
        ]
    return found


def other_side(area: Area, model: StoredModel, name: str) -> OtherSide:
    """Return what `name` says: "source", "source 3", "model 4", "version 5", or "" for the model's own source.

    Raises ReconciliationError where there is no such thing in the area.
    """
    kind, _, number = name.partition(" ")
    if number and not (number.isascii() and number.isdigit()):
        raise ReconciliationError(f"“{name[:40]}” is nothing to compare with.")
    if kind in ("", "source"):
        found = Source.objects.filter(area=area)
        source = found.filter(pk=number).first() if number else found.filter(model=model).first()
        return of_source(model, source)
    if kind == "model" and model.layer == "physical" and number == str(model.logical_id):
        return of_logical(area, model)
    if kind == "model":
        return of_model(model, StoredModel.objects.filter(area=area, pk=number).first())
    if kind == "version":
        return of_version(model, ModelVersion.objects.filter(model__area=area, pk=number).first())
    raise ReconciliationError(f"“{name[:40]}” is nothing to compare with.")


def of_source(model: StoredModel, source: Source | None) -> OtherSide:
    """Return a source as it was read last; one that was scanned and holds nothing is an empty database."""
    intake = Intake.objects.filter(source=source).order_by("-pk").first() if source else None
    if source is None or (intake is None and source.inventory != []):
        asked = source.name if source else model.name
        raise ReconciliationError(
            f"{asked} was never read. Read it first, or compare with another model or a file."
            if source else f"{asked} has no source that was read. Compare it with another model or a file."
        )  # fmt: skip
    if intake is None:
        return OtherSide(keep_snapshot(Model(name=source.name)), f"{source.name}, an empty database", source=source)
    label = f"{source.name}, read {intake.at:%-d %B %Y}"
    if source.model_id != model.pk or model.snapshot is None:
        return OtherSide(intake.snapshot, label, source=source)
    return OtherSide(
        intake.snapshot, label, model.snapshot, "the reading that was applied last", own_renames(model), source=source
    )  # fmt: skip


def own_renames(model: StoredModel) -> KnownRenames:
    """Return what people call otherwise than the source does."""
    tables = StoredTable.objects.filter(model=model, removed_at__isnull=True).exclude(source_name="")
    columns = StoredColumn.objects.filter(
        table__model=model, removed_at__isnull=True, table__removed_at__isnull=True
    ).exclude(source_name="")
    return KnownRenames(
        [((schema, old), (schema, name)) for schema, old, name in tables.values_list("schema", "source_name", "name")],
        [
            ((schema, table), old, name)
            for schema, table, old, name in columns.values_list("table__schema", "table__name", "source_name", "name")
        ],
    )


def of_model(model: StoredModel, other: StoredModel | None) -> OtherSide:
    """Return another model of the same layer; between a model and its branch, from where they parted."""
    if other is None:
        raise ReconciliationError("The other model is no longer there.")
    if other.pk == model.pk:
        raise ReconciliationError("That is the same model. Choose another one.")
    if other.layer != model.layer:
        raise ReconciliationError(
            "Models of two layers have different words for everything. Derive one of the other first."
        )
    branch = (
        ModelBranch.objects.filter(model__in=[model, other], origin__in=[model, other]).select_related("base").first()
    )
    base, told = (branch.base, f"where they parted, {branch.at:%-d %B %Y}") if branch else (None, "")
    return OtherSide(keep_snapshot(state_of(other)), other.name, base, told, model=other)


def of_version(model: StoredModel, version: ModelVersion | None) -> OtherSide:
    """Return a version of this model or of another one; from a version of its own, all that differs was changed in the model."""
    if version is None:
        raise ReconciliationError("The version is no longer there.")
    own = version.model_id == model.pk
    label = f"version {version.number}, {version.label}"
    if not own:
        return OtherSide(version.snapshot, f"{version.model.name}, {label}")
    return OtherSide(version.snapshot, label, version.snapshot, "that version")


def of_logical(area: Area, model: StoredModel) -> OtherSide:
    """Return what the model's logical model makes by now: later changes of the one are offered to the other."""
    derived = derived_anew(area, model)
    logical = model.logical.name if model.logical else ""
    return OtherSide(keep_snapshot(derived.model), f"{logical}, derived anew")


def of_content(content: Model, label: str) -> OtherSide:
    """Return what a file holds: a model file, or a script that was read."""
    return OtherSide(keep_snapshot(content), label)


def other_side_again(made: ModelComparison) -> OtherSide | None:
    """Return the other side of a comparison as it is now; None where it stays as it is. Raises ReconciliationError where it is gone."""
    if made.source is not None:
        return of_source(made.model, made.source)
    return of_model(made.model, made.other_model) if made.other_model is not None else None
