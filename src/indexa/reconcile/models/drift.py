"""Drift of sources: what differs from their models reading after reading, and what of it people know already, as stored."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.reconcile.models.differences import KeptDifference
from indexa.sources.models import Intake, Source


class DriftWatch(models.Model):
    """A source that is watched, and the rule of what matters."""

    source = models.OneToOneField(Source, on_delete=models.CASCADE, related_name="drift_watch")
    ignore = ArrayField(models.CharField(max_length=30), default=list)
    schemas = ArrayField(models.TextField(), default=list)
    """Only these; all where there are none."""
    feed_number = models.PositiveIntegerField(default=1)
    """Part of what the addresses of the feed are signed with: counted up, and all that were given out end."""
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        db_table = "drift_watch"

    def __str__(self) -> str:
        return f"drift of source {self.source_id}"


class DriftPoint(models.Model):
    """How far a source was from its model, and from the model's last version, at a reading."""

    watch = models.ForeignKey(DriftWatch, on_delete=models.CASCADE, related_name="points")
    intake = models.OneToOneField(Intake, on_delete=models.CASCADE, related_name="+")
    from_model = models.PositiveIntegerField()
    from_version = models.PositiveIntegerField(null=True)
    """None where the model has no version."""
    new = models.PositiveIntegerField(default=0)
    """How many of those from the model had not been told before."""
    lines = models.JSONField(default=list)
    """Those in words, the first of them."""
    at = models.DateTimeField()

    class Meta:
        db_table = "drift_point"
        ordering = ["at", "pk"]

    def __str__(self) -> str:
        return f"{self.from_model} differences at {self.at}"


class DriftFinding(KeptDifference):
    """A difference between a source as it was read last and its model: `before` is the source's, `after` the model's."""

    watch = models.ForeignKey(DriftWatch, on_delete=models.CASCADE, related_name="findings")
    first_seen = models.DateTimeField()
    """When it was found first as it is; one that changes counts as new."""
    accepted_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    accepted_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "drift_finding"
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["watch", "number"], name="drift_finding_in_its_place")]
