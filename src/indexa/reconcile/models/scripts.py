"""Change scripts, where they may be run, and what came of each run, as stored."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import msgspec
from django.conf import settings
from django.db import models

from indexa.core.change.script import ChangeScript
from indexa.jobs.models import Job
from indexa.reconcile.models.comparisons import ModelComparison
from indexa.sources.models import Source
from indexa.store.models import Snapshot


class KeptScript(models.Model):
    """A change script as it was written for a comparison, with the one that takes it back and its rehearsal.

    A sign-off is for exactly one text: `signed_checksum` is the checksum of the text that was signed.
    """

    comparison = models.ForeignKey(ModelComparison, on_delete=models.CASCADE, related_name="scripts")
    platform = models.CharField(max_length=40)
    allow_drops = models.BooleanField(default=False)
    change = models.JSONField()
    """The core's `ChangeScript`; its text is written of it."""
    revert = models.JSONField()
    decided = models.CharField(max_length=64)
    """Digest of the decisions that it was written of."""
    rehearsal = models.JSONField(null=True)
    rehearsed_at = models.DateTimeField(null=True)
    rehearsed_as = models.ForeignKey(Snapshot, null=True, on_delete=models.PROTECT, related_name="+")
    """What the script makes, as the server of the rehearsal told it."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    signed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    signed_at = models.DateTimeField(null=True)
    signed_checksum = models.CharField(max_length=64, blank=True)

    class Meta:
        db_table = "kept_script"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"script {self.pk} of comparison {self.comparison_id}"

    @cached_property
    def as_core(self) -> ChangeScript:
        """The script as the core has it."""
        return msgspec.convert(self.change, ChangeScript)

    @property
    def revert_as_core(self) -> ChangeScript:
        """The script that takes it back, as the core has it."""
        return msgspec.convert(self.revert, ChangeScript)

    @property
    def steps(self) -> list[dict[str, Any]]:
        """The steps, numbered from 1."""
        return [step | {"number": number} for number, step in enumerate(self.change["steps"], 1)]

    @property
    def left_as_it_is(self) -> list[dict[str, str]]:
        """What the script leaves, each with the reason."""
        left: list[dict[str, str]] = self.change["kept"]
        return left

    @cached_property
    def checksum(self) -> str:
        """SHA-256 of the script's text."""
        return self.as_core.checksum()


class ChangeAccess(models.Model):
    """An administrator's permission to run change scripts on a source, and the login that they run as.

    Without one nothing is ever written to a source. The password is sealed for the place and the login.
    """

    source = models.OneToOneField(Source, on_delete=models.CASCADE, related_name="change_access")
    login = models.CharField(max_length=128, blank=True)
    """"" for the login that reads."""
    sealed_password = models.TextField(blank=True, editable=False)
    allowed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    allowed_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "change_access"

    def __str__(self) -> str:
        return f"change scripts on source {self.source_id}"

    @property
    def target(self) -> str:
        """Where, as whom and how safely the password is sent."""
        source = self.source
        return "|".join(("change", source.platform, source.host.lower(), str(source.port), self.login, source.tls))


class ScriptRun(models.Model):
    """A change script as it was run on a source: by whom, which text, and what came of each step."""

    class State(models.TextChoices):
        WAITING = "waiting", "Queued"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        REFUSED = "refused", "Not begun"
        STOPPED = "stopped", "Stopped"

    script = models.ForeignKey(KeptScript, on_delete=models.CASCADE, related_name="runs")
    source = models.ForeignKey(Source, null=True, on_delete=models.SET_NULL, related_name="script_runs")
    source_label = models.CharField(max_length=400)
    login = models.CharField(max_length=128, blank=True)
    checksum = models.CharField(max_length=64)
    text = models.TextField()
    """The text that was run, whatever becomes of the script."""
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    steps = models.JSONField(default=list)
    """Of each step what it does, what came of it, its milliseconds and the server's words."""
    message = models.TextField(blank=True)
    left = models.JSONField(default=list)
    """What differed from what the script is to make when the source was read again, in words."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "script_run"
        ordering = ["-pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["source"], condition=models.Q(state__in=["waiting", "running"]), name="one_run_on_a_source"
            )
        ]

    def __str__(self) -> str:
        return f"run {self.pk} of script {self.script_id}"
