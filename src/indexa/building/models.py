"""What an area decides about its models: how much each check weighs, what is let stand, and choices of deriving that are kept."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from indexa.areas.models import Area
from indexa.store.models import StoredModel


class RuleWeight(models.Model):
    """How much a rule weighs in an area, where it differs from the rule's own weight; "off" for one that is not asked."""

    class Weight(models.TextChoices):
        ERROR = "error", "error"
        WARNING = "warning", "warning"
        NOTE = "note", "note"
        OFF = "off", "not asked"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="rule_weights")
    rule = models.CharField(max_length=20)
    weight = models.CharField(max_length=7, choices=Weight.choices)

    class Meta:
        db_table = "rule_weight"
        constraints = [models.UniqueConstraint(fields=["area", "rule"], name="rule_weighs_once_in_its_area")]

    def __str__(self) -> str:
        return f"{self.rule}: {self.weight}"


class StructureWaiver(models.Model):
    """A fault of a model that a person let stand, and why."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="structure_waivers")
    fingerprint = models.TextField()
    reason = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "structure_waiver"
        constraints = [models.UniqueConstraint(fields=["model", "fingerprint"], name="fault_waived_once")]

    def __str__(self) -> str:
        return self.fingerprint


class DerivePreset(models.Model):
    """Choices of deriving a physical model, kept under a name: platform, schema, standard and options."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="derive_presets")
    name = models.CharField(max_length=80)
    choices = models.JSONField(default=dict)

    class Meta:
        db_table = "derive_preset"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="derive_preset_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class DdlTemplate(models.Model):
    """One version of how an area words a kind of statement; the highest number is in force, an empty source is the plain wording."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="ddl_templates")
    kind = models.CharField(max_length=20)
    number = models.PositiveIntegerField()
    source = models.TextField(blank=True)
    why = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "ddl_template"
        ordering = ["kind", "-number"]
        constraints = [models.UniqueConstraint(fields=["area", "kind", "number"], name="ddl_template_version")]

    def __str__(self) -> str:
        return f"{self.kind}, version {self.number}"
