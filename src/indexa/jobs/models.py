"""Long work as people see it. The queue itself is procrastinate's."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from indexa.areas.models import Area


class Job(models.Model):
    """One piece of long work: what it is, how far it is, how it ended."""

    class State(models.TextChoices):
        WAITING = "waiting", "Queued"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=40)
    title = models.CharField(max_length=200)
    arguments = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    step = models.CharField(max_length=200, blank=True)
    done = models.PositiveBigIntegerField(default=0)
    total = models.PositiveBigIntegerField(default=0)
    attempts = models.PositiveSmallIntegerField(default=0)
    cancel_requested = models.BooleanField(default=False)
    reason = models.TextField(blank=True)
    hint = models.TextField(blank=True)
    result_url = models.CharField(max_length=400, blank=True)
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "job"
        ordering = ["-created_at"]
        indexes = [models.Index(fields=["area", "-created_at"], name="job_of_area")]

    def __str__(self) -> str:
        return f"{self.title} ({self.state})"

    @property
    def is_over(self) -> bool:
        """True once nothing more will happen to it."""
        return self.state not in (self.State.WAITING, self.State.RUNNING)

    @property
    def percent(self) -> int:
        """How far it is, 0 to 100; 0 while the total is not known."""
        return min(100, 100 * self.done // self.total) if self.total else 0


class JobFile(models.Model):
    """A file that a job made for the person who started it."""

    job = models.OneToOneField(Job, on_delete=models.CASCADE, related_name="file")
    name = models.CharField(max_length=200)
    media_type = models.CharField(max_length=100)
    content = models.BinaryField()

    class Meta:
        db_table = "job_file"

    def __str__(self) -> str:
        return self.name
