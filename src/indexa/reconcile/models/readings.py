"""What later readings found to be otherwise, and what a person decided about it, as stored."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.changes.models import ChangeSet
from indexa.reconcile.models.differences import KeptDifference
from indexa.sources.models import Intake, Source
from indexa.store.models import Snapshot, StoredModel


class Reconciliation(models.Model):
    """What a later reading of a source found to be otherwise than in the model, until a person has decided."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        APPLIED = "applied", "Applied"
        DISCARDED = "discarded", "Discarded"
        REPLACED = "replaced", "Replaced by a later reading"

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="reconciliations")
    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="reconciliations")
    intake = models.OneToOneField(Intake, null=True, on_delete=models.CASCADE, related_name="reconciliation")
    continues = models.OneToOneField("self", null=True, on_delete=models.CASCADE, related_name="continuation")
    """What was left undecided when that one was applied goes on here; then there is no intake of its own."""
    before = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    after = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    rejected_renames = ArrayField(models.TextField(), default=list)
    """Renames that a person said are none."""
    paired_renames = models.JSONField(default=dict)
    """Renames that a person said are some, as `KnownRenames`."""
    scheduled = models.BooleanField(default=False)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    decided_at = models.DateTimeField(null=True)
    change_set = models.ForeignKey(ChangeSet, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "reconciliation"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.source_id} read again at {self.at}"


class FoundDifference(KeptDifference):
    """One difference of a later reading, and what a person decided about it.

    `conflict` is "" or what a person changed that the source changed too; `mine` and `theirs` are both values then, `by` and
    `by_at` say who made mine. `object_id` is the stored table, column or attribute that `mine` belongs to.
    """

    class Decision(models.TextChoices):
        TAKE = "take", "Use source"
        KEEP = "keep", "Keep model"
        LATER = "later", "Skip for now"

    reconciliation = models.ForeignKey(Reconciliation, on_delete=models.CASCADE, related_name="differences")
    seen_before = models.BooleanField(default=False)
    """True where an earlier reading had found it already and it was left for later."""
    conflict = models.CharField(max_length=12, blank=True)
    mine = models.TextField(blank=True)
    theirs = models.TextField(blank=True)
    by = models.TextField(blank=True)
    by_at = models.DateTimeField(null=True)
    target = models.CharField(max_length=12, blank=True)
    object_id = models.BigIntegerField(default=0)
    note = models.TextField(blank=True)
    decision = models.CharField(max_length=5, choices=Decision.choices, default=Decision.TAKE)

    class Meta:
        db_table = "found_difference"
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["reconciliation", "number"], name="difference_in_its_place")]
