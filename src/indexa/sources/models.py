"""Sources, and what each reading of one brought."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.adapters.address import TLS_MODES
from indexa.areas.models import Area
from indexa.modeling.models import Snapshot, StoredModel


class Source(models.Model):
    """A place structure is read from. The password is kept sealed, never in clear."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="sources")
    name = models.CharField(max_length=120)
    platform = models.CharField(max_length=40, default="postgresql")
    host = models.CharField(max_length=255)
    port = models.PositiveIntegerField(default=5432)
    database = models.CharField(max_length=128)
    user = models.CharField("login", max_length=128)
    sealed_password = models.TextField(blank=True, editable=False)
    tls = models.CharField("TLS", max_length=12, choices=TLS_MODES.items(), default="prefer")
    schemas = ArrayField(models.TextField(), default=list)
    kinds = ArrayField(models.TextField(), default=list)
    model = models.ForeignKey(StoredModel, null=True, on_delete=models.SET_NULL, related_name="sources")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "source"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="source_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class Intake(models.Model):
    """One reading of a source, with its receipt (the core's record as JSON)."""

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="intakes")
    model = models.ForeignKey(StoredModel, null=True, on_delete=models.SET_NULL, related_name="intakes")
    snapshot = models.ForeignKey(Snapshot, on_delete=models.PROTECT)
    receipt = models.JSONField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "intake"
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"{self.source_id} at {self.at}"
