"""Reviews of definitions, comments on objects, and who follows what, as stored."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from indexa.areas.models import Area

TARGETS = ("table", "column")


class Review(models.Model):
    """The review of one definition: proposed for exactly one text, agreed or returned with a reason.

    `object_id` is the table, entity, column or attribute that keeps the definition. Another text is a draft again.
    """

    class State(models.TextChoices):
        PROPOSED = "proposed", "Proposed"
        AGREED = "agreed", "Agreed"
        RETURNED = "returned", "Returned"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="reviews")
    target = models.CharField(max_length=10)
    object_id = models.BigIntegerField()
    label = models.TextField()
    text = models.TextField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.PROPOSED)
    proposed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    proposed_at = models.DateTimeField(auto_now_add=True)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    decided_at = models.DateTimeField(null=True)
    reason = models.TextField(blank=True)

    address = ""
    """Where the object stands; set by the list."""

    class Meta:
        db_table = "review"
        ordering = ["-pk"]
        indexes = [models.Index(fields=["target", "object_id"], name="reviews_of_an_object")]

    def __str__(self) -> str:
        return f"{self.label}: {self.state}"


class Comment(models.Model):
    """What somebody said about an object."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="comments")
    target = models.CharField(max_length=10)
    object_id = models.BigIntegerField()
    label = models.TextField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    text = models.TextField()
    mentions = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="mentioned_in")

    class Meta:
        db_table = "object_comment"
        ordering = ["pk"]
        indexes = [models.Index(fields=["target", "object_id"], name="comments_of_an_object")]

    def __str__(self) -> str:
        return f"{self.label}: {self.text[:40]}"


class Follow(models.Model):
    """Somebody who is told what is said and decided about an object."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="follows")
    target = models.CharField(max_length=10)
    object_id = models.BigIntegerField()

    class Meta:
        db_table = "follow"
        constraints = [models.UniqueConstraint(fields=["person", "target", "object_id"], name="followed_once")]

    def __str__(self) -> str:
        return f"{self.person_id} follows {self.target} {self.object_id}"


class Notice(models.Model):
    """Something a person is told, until they have seen it."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="+")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="notices")
    text = models.TextField()
    address = models.CharField(max_length=400)
    at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "notice"
        ordering = ["-pk"]
        indexes = [models.Index(fields=["person", "area"], condition=models.Q(seen_at=None), name="notices_not_seen")]

    def __str__(self) -> str:
        return self.text
