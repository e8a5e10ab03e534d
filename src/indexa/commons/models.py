"""Catalogs that were received, their datasets with every version, and each delivery, as stored."""

from __future__ import annotations

from typing import Any

from django.db import models


class Catalog(models.Model):
    """A catalog that somebody delivers, known by its name in the address."""

    name = models.SlugField(max_length=80, unique=True)
    title = models.CharField(max_length=300)
    publisher = models.CharField(max_length=300, blank=True)
    version = models.CharField(max_length=80, blank=True)

    class Meta:
        db_table = "catalog"
        ordering = ["title"]

    def __str__(self) -> str:
        return self.title


class Delivery(models.Model):
    """One time that a catalog came: from whom, and what it changed."""

    catalog = models.ForeignKey(Catalog, on_delete=models.CASCADE, related_name="deliveries")
    at = models.DateTimeField(auto_now_add=True)
    sender = models.CharField(max_length=200, blank=True)
    """What the sending program calls itself."""
    version = models.CharField(max_length=80, blank=True)
    added = models.PositiveIntegerField()
    changed = models.PositiveIntegerField()
    unchanged = models.PositiveIntegerField()
    gone = models.PositiveIntegerField()

    class Meta:
        db_table = "delivery"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.catalog} at {self.at}"


class Origin(models.Model):
    """Where a catalog is fetched from by a clock, under which name, and what came of it last."""

    name = models.SlugField(max_length=80, unique=True)
    address = models.URLField(max_length=500)
    hours = models.PositiveIntegerField()
    next_at = models.DateTimeField()
    outcome = models.TextField(blank=True)
    has_failed = models.BooleanField(default=False)
    tried_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "origin"
        ordering = ["name"]

    def __str__(self) -> str:
        return f"{self.name} every {self.hours} hours"


class Dataset(models.Model):
    """A dataset as it was described last; one that is no longer delivered stays, marked."""

    catalog = models.ForeignKey(Catalog, on_delete=models.CASCADE, related_name="datasets")
    identifier = models.CharField(max_length=500)
    title = models.TextField()
    description = models.TextField(blank=True)
    publisher = models.CharField(max_length=300, blank=True)
    content: Any = models.JSONField()
    """A `ReceivedDataset` of the core."""
    digest = models.CharField(max_length=64)
    words = models.TextField()
    """All that is searched, in small letters."""
    first_at = models.DateTimeField(auto_now_add=True)
    gone_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "dataset"
        ordering = ["identifier"]
        constraints = [models.UniqueConstraint(fields=["catalog", "identifier"], name="dataset_once_in_its_catalog")]

    def __str__(self) -> str:
        return self.identifier


class DatasetVersion(models.Model):
    """What a dataset was from a delivery on."""

    dataset = models.ForeignKey(Dataset, on_delete=models.CASCADE, related_name="versions")
    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="versions")
    content: Any = models.JSONField()

    class Meta:
        db_table = "dataset_version"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.dataset_id} from {self.delivery_id} on"
