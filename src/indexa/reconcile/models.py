"""What later readings found to be otherwise, and what a person decided about it, as stored."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.changes.models import ChangeSet
from indexa.core.compare.differences import Difference
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


class KeptDifference(models.Model):
    """A difference as the core tells it, kept in a row: what differs where, both values, and what it can't be without."""

    number = models.PositiveIntegerField()
    identity = models.TextField()
    kind = models.CharField(max_length=10)
    what = models.CharField(max_length=20)
    schema = models.TextField(blank=True)
    table = models.TextField(blank=True)
    name = models.TextField(blank=True)
    field = models.CharField(max_length=40, blank=True)
    before = models.TextField(blank=True)
    after = models.TextField(blank=True)
    evidence = ArrayField(models.TextField(), default=list)
    requires = ArrayField(models.TextField(), default=list)

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.identity

    @property
    def full_table(self) -> str:
        """Schema and table with a dot between them; "" for what belongs to no table."""
        return f"{self.schema}.{self.table}" if self.schema and self.table else self.table

    def as_core(self) -> Difference:
        """Return it as the core has it."""
        kind: Any = self.kind
        return Difference(
            id=self.identity, kind=kind, what=self.what, schema=self.schema, table=self.table, name=self.name, field=self.field,
            before=self.before, after=self.after, evidence=tuple(self.evidence), requires=tuple(self.requires),
        )  # fmt: skip


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


class ModelComparison(models.Model):
    """A model beside another state: its source as it was read last, another model, or a file. Decided difference by difference.

    Both states are kept as they were when compared; `base` is the one that both come from, where that is known.
    """

    area = models.ForeignKey("areas.Area", on_delete=models.CASCADE, related_name="comparisons")
    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="comparisons")
    other_model = models.ForeignKey(StoredModel, null=True, on_delete=models.SET_NULL, related_name="+")
    source = models.ForeignKey(Source, null=True, on_delete=models.SET_NULL, related_name="comparisons")
    other_label = models.CharField(max_length=200)
    mine = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    other = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    base = models.ForeignKey(Snapshot, null=True, on_delete=models.PROTECT, related_name="+")
    base_label = models.CharField(max_length=200, blank=True)
    renames = models.JSONField(default=dict)
    """Renames that people made, as `KnownRenames` from the other state to the model."""
    paired_renames = models.JSONField(default=dict)
    """Renames that a person said are some on this comparison, as `KnownRenames`."""
    rejected_renames = ArrayField(models.TextField(), default=list)
    """Renames that a person said are none."""
    ignore = ArrayField(models.CharField(max_length=30), default=list)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "model_comparison"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.model_id} beside {self.other_label}"


class ComparedDifference(KeptDifference):
    """One difference of a comparison: what the other state has (`before`) and the model (`after`), who changed it, and what a
    person decided."""

    class Decision(models.TextChoices):
        KEEP = "keep", "Keep model"
        TAKE = "take", "Take source"
        LATER = "later", "Skip for now"

    comparison = models.ForeignKey(ModelComparison, on_delete=models.CASCADE, related_name="differences")
    side = models.CharField(max_length=5, blank=True)
    decision = models.CharField(max_length=5, choices=Decision.choices, default=Decision.LATER)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        db_table = "compared_difference"
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["comparison", "number"], name="compared_difference_in_its_place")
        ]


class KeptScript(models.Model):
    """A change script as it was written for a comparison, with the one that takes it back, its steps and its rehearsal.

    A sign-off is for exactly this text: `checksum` is that of the script.
    """

    comparison = models.ForeignKey(ModelComparison, on_delete=models.CASCADE, related_name="scripts")
    platform = models.CharField(max_length=40)
    allow_drops = models.BooleanField(default=False)
    text = models.TextField()
    revert = models.TextField()
    steps = models.JSONField(default=list)
    left_as_it_is = models.JSONField(default=list)
    checksum = models.CharField(max_length=64)
    decided = models.CharField(max_length=64)
    """Digest of the decisions that it was written of."""
    rehearsal = models.JSONField(null=True)
    rehearsed_at = models.DateTimeField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    signed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    signed_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "kept_script"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"script {self.pk} of comparison {self.comparison_id}"


class ModelVersion(models.Model):
    """A model as it was at a time, under a name."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    label = models.CharField(max_length=120)
    note = models.TextField(blank=True)
    snapshot = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "model_version"
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["model", "number"], name="version_number_of_its_model")]

    def __str__(self) -> str:
        return f"version {self.number} of {self.model_id}"
