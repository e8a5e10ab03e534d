"""Versions and branches of models, as stored."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from indexa.store.models import Snapshot, StoredModel


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


class ModelBranch(models.Model):
    """A copy of a model that is worked on apart; `base` is the state that both come from."""

    model = models.OneToOneField(StoredModel, on_delete=models.CASCADE, related_name="branch")
    origin = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="branches")
    base = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "model_branch"

    def __str__(self) -> str:
        return f"{self.model_id} branched from {self.origin_id}"
