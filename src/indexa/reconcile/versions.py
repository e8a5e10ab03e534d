"""Named versions of a model: kept by hand or before a risky act, compared in words, restored as one change set."""

from __future__ import annotations

from collections.abc import Collection
from contextlib import suppress

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.building.copying import store_copy
from indexa.core.compare.applying import apply
from indexa.core.compare.comparing import compare
from indexa.core.compare.differences import Difference
from indexa.core.model import Model
from indexa.reconcile.bringing import bring
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ModelBranch, ModelVersion
from indexa.reconcile.other_sides import state_of
from indexa.store.loading import load_model
from indexa.store.models import StoredModel
from indexa.store.storing import keep_snapshot, read_snapshot


@transaction.atomic
def keep_version(*, model: StoredModel, person: Person | None, label: str, note: str = "") -> ModelVersion:
    """Keep a model as it is under a name. Raises ReconciliationError for a name that is none, and where nothing changed."""
    label = " ".join(label.replace("\x00", "").split())[:120]
    if not label:
        raise ReconciliationError("The version needs a name.")
    StoredModel.objects.select_for_update(of=("self",)).get(pk=model.pk)
    snapshot = keep_snapshot(state_of(model))
    last = ModelVersion.objects.filter(model=model).order_by("-number").first()
    if last is not None and last.snapshot_id == snapshot.pk:
        raise ReconciliationError(f"The model is as in version {last.number}, {last.label}.")
    number = last.number + 1 if last else 1
    return ModelVersion.objects.create(
        model=model, number=number, label=label, note=note.strip()[:2_000], snapshot=snapshot, by=person
    )


def follow_publication(
    sender: object, *, models: Collection[int], person: Person | None, label: str, **_: object
) -> None:
    """Keep a version of each published model that is not as in its last one, as a receiver of `models_published`."""
    for model in StoredModel.objects.filter(pk__in=models):
        with suppress(ReconciliationError):  # it is as in its last version
            keep_version(model=model, person=person, label=label, note="Kept at its publication.")


def content_of(version: ModelVersion | None, model: StoredModel) -> Model:
    """Return the content of a version, or of the model as it is."""
    return read_snapshot(version.snapshot) if version is not None else state_of(model)


def differences_between(
    model: StoredModel, before: ModelVersion | None, after: ModelVersion | None
) -> list[Difference]:
    """Return what differs between two versions; None stands for the model as it is."""
    return compare(content_of(before, model), content_of(after, model)).differences


@transaction.atomic
def branch(*, area: Area, person: Person, model: StoredModel, name: str) -> StoredModel:
    """Copy a model to work on apart; where both parted is kept, so that what each changed since can be told.

    Raises ReconciliationError for a name that is none, and BuildError for one that is taken or a model that is too large.
    """
    name = " ".join(name.split())[:120]
    if not name:
        raise ReconciliationError("The branch needs a name.")
    content = load_model(model, with_words=True)
    base = keep_snapshot(state_of(model))
    copy = store_copy(area=area, name=name, layer=model.layer, platform=model.platform, model=content)
    ModelBranch.objects.create(model=copy, origin=model, base=base, by=person)
    return copy


@transaction.atomic
def restore(*, area: Area, person: Person, version: ModelVersion) -> int:
    """Bring a model back to a version, as one change set; the model as it was is kept as a version before. Returns how much."""
    model = StoredModel.objects.select_for_update(of=("self",)).get(pk=version.model_id)
    now = state_of(model)
    comparison = compare(read_snapshot(version.snapshot), now)
    if not comparison.differences:
        raise ReconciliationError(f"The model is as in version {version.number} already.")
    last = ModelVersion.objects.filter(model=model).order_by("-number").first()
    if last is None or last.snapshot_id != keep_snapshot(now).pk:
        keep_version(model=model, person=person, label=f"Before version {version.number} was restored")
    wanted = apply(comparison, set())
    bring(
        area=area,
        person=person,
        model=model,
        now=now,
        wanted=wanted.model,
        why=f"Restored version {version.number}, {version.label}",
    )
    return len(comparison.differences)
