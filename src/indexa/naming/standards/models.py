"""Naming standards, what was checked, found and waived, as stored."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from indexa.areas.models import Area
from indexa.store.models import StoredModel


class StoredStandard(models.Model):
    """A naming standard: the core's record of its rules, and the models that it governs. Words are the wordbooks'."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="naming_standards")
    name = models.CharField(max_length=80)
    version = models.PositiveIntegerField(default=1)
    content = models.JSONField()
    governs = models.ManyToManyField(StoredModel, related_name="naming_standards")

    class Meta:
        db_table = "naming_standard"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="standard_name_in_its_area")]

    def __str__(self) -> str:
        return f"{self.name} {self.version}"


class StandardVersion(models.Model):
    """What a standard was from some day on."""

    standard = models.ForeignKey(StoredStandard, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    content = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    why = models.CharField(max_length=300, blank=True)

    class Meta:
        db_table = "naming_standard_version"
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["standard", "number"], name="version_once_in_its_standard")]

    def __str__(self) -> str:
        return f"version {self.number}"


class NamingCheck(models.Model):
    """When the names of a model were last held against which version of its standard."""

    model = models.OneToOneField(StoredModel, on_delete=models.CASCADE, related_name="naming_check")
    version = models.ForeignKey(StandardVersion, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        db_table = "naming_check"

    def __str__(self) -> str:
        return f"check of model {self.model_id}"


class NameFinding(models.Model):
    """A name that a rule speaks against, as the last check of its model found it."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="name_findings")
    rule = models.CharField(max_length=20)
    severity = models.CharField(max_length=10)
    kind = models.CharField(max_length=20)
    place = models.TextField()
    name = models.TextField()
    table_name = models.TextField(blank=True)
    why = models.TextField()
    should = models.TextField(blank=True)
    fingerprint = models.TextField()
    target = models.CharField(max_length=12, blank=True, db_default="")
    """What a renaming would change; "" where names of this kind can't be changed here."""
    object_id = models.BigIntegerField(null=True)

    class Meta:
        db_table = "name_finding"
        indexes = [models.Index(fields=["model", "rule"], name="finding_by_rule")]

    def __str__(self) -> str:
        return f"{self.rule}: {self.place}"


class Waiver(models.Model):
    """A finding that a person let stand, and why."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="name_waivers")
    fingerprint = models.TextField()
    reason = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "name_waiver"
        constraints = [models.UniqueConstraint(fields=["model", "fingerprint"], name="finding_waived_once")]

    def __str__(self) -> str:
        return self.fingerprint
