"""Named versions of a model: kept by hand or before a risky act, compared in words, restored as one change set."""

from __future__ import annotations

from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.core.compare.applying import apply
from indexa.core.compare.comparing import compare
from indexa.core.compare.differences import Difference
from indexa.core.model import Model
from indexa.reconcile.bringing import bring
from indexa.reconcile.comparing import state_of
from indexa.reconcile.errors import ReconciliationError
from indexa.reconcile.models import ModelVersion
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


def content_of(version: ModelVersion | None, model: StoredModel) -> Model:
    """Return the content of a version, or of the model as it is."""
    return read_snapshot(version.snapshot) if version is not None else state_of(model)


def differences_between(
    model: StoredModel, before: ModelVersion | None, after: ModelVersion | None
) -> list[Difference]:
    """Return what differs between two versions; None stands for the model as it is."""
    return compare(content_of(before, model), content_of(after, model)).differences


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
