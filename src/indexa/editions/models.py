"""Editions: immutable publications, their files, and the links by which outsiders read them."""

from __future__ import annotations

import hashlib

from django.conf import settings
from django.db import models

from indexa.areas.models import Area


class Edition(models.Model):
    """A publication. While it is a draft it can be looked at and thrown away; published, it never changes."""

    class State(models.TextChoices):
        BUILDING = "building", "Being made"
        DRAFT = "draft", "Draft"
        PUBLISHED = "published", "Published"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="editions")
    number = models.PositiveIntegerField(null=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.BUILDING)
    title = models.CharField(max_length=160)
    note = models.TextField(blank=True)
    content = models.JSONField(default=dict)
    """What goes in: {"models": [id], "views": bool, "comments": bool, "undescribed": bool, ...}."""
    summary = models.JSONField(default=dict)
    """What went in: names of models and counts, fixed when the pages were made."""
    job = models.ForeignKey("jobs.Job", null=True, on_delete=models.SET_NULL, related_name="+")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    published_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    published_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "edition"
        ordering = ["-number", "-made_at"]
        constraints = [models.UniqueConstraint(fields=["area", "number"], name="edition_number_in_its_area")]

    def __str__(self) -> str:
        return f"{self.title} {self.number or 'draft'}"


class EditionFile(models.Model):
    """One file of an edition's pages, gzip-compressed."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="files")
    path = models.CharField(max_length=300)
    content = models.BinaryField()

    class Meta:
        db_table = "edition_file"
        constraints = [models.UniqueConstraint(fields=["edition", "path"], name="one_file_at_a_path")]

    def __str__(self) -> str:
        return self.path


class ReadingLink(models.Model):
    """Lets anybody who has it read one edition, until it is revoked. Only a hash of its token is kept."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="reading_links")
    token_hash = models.CharField(max_length=64, unique=True)
    label = models.CharField(max_length=120)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    revoked_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "reading_link"
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return self.label

    @staticmethod
    def hash_of(token: str) -> str:
        """Hash a token the way it is stored."""
        return hashlib.sha256(token.encode()).hexdigest()
