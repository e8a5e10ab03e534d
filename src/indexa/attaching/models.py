"""Files attached to objects, as stored: their content once, however often it is attached."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models

from indexa.areas.models import Area


class AttachedContent(models.Model):
    """The bytes of a file under their SHA-256. It stays when the file is deleted, so that this can be undone."""

    digest = models.CharField(primary_key=True, max_length=64)
    content = models.BinaryField()

    class Meta:
        db_table = "attached_content"

    def __str__(self) -> str:
        return self.digest


class Attachment(models.Model):
    """A file that is attached to a table, column or term: `target` is the kind of object, as `describing.subjects` knows it."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="attachments")
    target = models.CharField(max_length=10)
    object_id = models.BigIntegerField()
    name = models.CharField(max_length=200)
    media_type = models.CharField(max_length=100)
    size = models.PositiveIntegerField()
    """In bytes."""
    digest = models.CharField(max_length=64)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "attachment"
        ordering = ["name", "pk"]
        indexes = [models.Index(fields=["target", "object_id"], name="attachments_of_an_object")]

    def __str__(self) -> str:
        return self.name


_RECORD = ("area_id", "target", "object_id", "name", "media_type", "size", "digest", "by_id")


def record_of(item: Attachment) -> dict[str, Any]:
    """Return an attachment as it is kept in a change."""
    return {name: getattr(item, name) for name in _RECORD}
