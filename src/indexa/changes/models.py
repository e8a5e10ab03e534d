"""What people and readings changed: change sets, and the single changes in them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from indexa.areas.models import Area


class ChangeSet(models.Model):
    """Changes that were made together: who, when, why. Undo is another change set, redo the undo of an undo."""

    class Kind(models.TextChoices):
        EDIT = "edit", "Edit"
        INTAKE = "intake", "Intake"
        UNDO = "undo", "Undo"
        REDO = "redo", "Redo"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="change_sets")
    model = models.ForeignKey("modeling.StoredModel", null=True, on_delete=models.CASCADE, related_name="change_sets")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    why = models.TextField(blank=True)
    undoes = models.OneToOneField("self", null=True, on_delete=models.CASCADE, related_name="undone_by")
    in_force = models.BooleanField(default=True, db_default=True)
    """False while it is undone; true again once that was redone."""
    before_snapshot = models.ForeignKey("modeling.Snapshot", null=True, on_delete=models.PROTECT, related_name="+")
    after_snapshot = models.ForeignKey("modeling.Snapshot", null=True, on_delete=models.PROTECT, related_name="+")
    """The states of the source between which a later reading brought the model; null for any other change."""
    renames = models.JSONField(null=True)
    """What such a reading renamed, so that it can be undone without guessing."""

    class Meta:
        db_table = "change_set"
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.kind} {self.pk}"


class Change(models.Model):
    """One field of one object, or a whole object, before and after; in the order of their ids.

    `target` names a kind of object that an app registered. Null and an empty text are two things: null stands for a value, or
    an object, that is not there. Differences that a reading brought have no object (`object_id` 0): they are told, and undone as
    a whole.
    """

    class Operation(models.TextChoices):
        CREATE = "create", "Create"
        UPDATE = "update", "Update"
        DELETE = "delete", "Delete"

    change_set = models.ForeignKey(ChangeSet, on_delete=models.CASCADE, related_name="changes")
    operation = models.CharField(
        max_length=6, choices=Operation.choices, default=Operation.UPDATE, db_default=Operation.UPDATE
    )
    target = models.CharField(max_length=12)
    object_id = models.BigIntegerField()
    label = models.TextField()
    field = models.CharField(max_length=20)
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)

    class Meta:
        db_table = "change"
        indexes = [
            models.Index(fields=["target", "object_id"], name="changes_of_an_object"),
            models.Index(fields=["label"], condition=models.Q(object_id=0), name="changes_of_readings"),
        ]

    def __str__(self) -> str:
        return f"{self.label}.{self.field}"
