"""Models beside another state, decided difference by difference, as stored."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.reconcile.models.differences import KeptDifference
from indexa.sources.models import Source
from indexa.store.models import Snapshot, StoredModel


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
    filled = models.BooleanField(default=True)
    """False while a job still looks for the differences."""
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
    risk = models.CharField(max_length=10, blank=True)
    """Of bringing the other side to the model here; "" where no change script is written."""
    decision = models.CharField(max_length=5, choices=Decision.choices, default=Decision.LATER)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        db_table = "compared_difference"
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["comparison", "number"], name="compared_difference_in_its_place")
        ]


class IgnoreSettings(models.Model):
    """What comparisons of an area ignore where nothing else is said."""

    area = models.OneToOneField("areas.Area", on_delete=models.CASCADE, related_name="ignore_settings")
    kinds = ArrayField(models.CharField(max_length=30), default=list)

    class Meta:
        db_table = "ignore_settings"

    def __str__(self) -> str:
        return ", ".join(self.kinds)
