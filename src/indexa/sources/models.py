"""Sources, and what each reading of one brought."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.core.files.storage import FileSystemStorage
from django.db import models

from indexa.adapters.address import TLS_MODES
from indexa.adapters.live import OTHER
from indexa.areas.models import Area
from indexa.core import platforms
from indexa.jobs.models import Job
from indexa.store.models import Snapshot, StoredModel


def private_files() -> FileSystemStorage:
    """Return the storage of uploaded files: a folder that no address leads to."""
    return FileSystemStorage(
        location=settings.UPLOAD_DIR, base_url=None, file_permissions_mode=0o600, directory_permissions_mode=0o700
    )


class Source(models.Model):
    """A place structure is read from. The password is kept sealed, never in clear.

    Of a file on the server `database` holds the path, of an SQLAlchemy source its URL without password.
    """

    class Kind(models.TextChoices):
        LIVE = "live", "Live database"
        FILE = "file", "Database file"
        SCRIPT = "script", "SQL script"
        KIT = "kit", "Result of a field kit"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="sources")
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=10, choices=Kind.choices, default=Kind.LIVE)
    platform = models.CharField(max_length=40, default="postgresql")
    host = models.CharField(max_length=255, blank=True)
    port = models.PositiveIntegerField(default=0)
    database = models.TextField(blank=True)
    user = models.CharField("login", max_length=128, blank=True)
    sealed_password = models.TextField(blank=True, editable=False)
    tls = models.CharField("TLS", max_length=12, choices=TLS_MODES.items(), default="prefer")
    schemas = ArrayField(models.TextField(), default=list)
    kinds = ArrayField(models.TextField(), default=list)
    include = models.TextField(blank=True)
    exclude = models.TextField(blank=True)
    encoding = models.CharField(max_length=20, blank=True)
    default_schema = models.CharField(max_length=128, blank=True)
    asks_rows = models.BooleanField(default=False)
    """Whether its rows may be sampled for evidence of keys and references; no value is kept, only counts."""
    reads_codes = models.BooleanField(default=False)
    """Whether lookup tables of it may be read for code lists, which keep their values."""
    inventory = models.JSONField(null=True, editable=False)
    """Schema, name and whether it is a view, of all that the last scan found: patterns are tried on it."""
    held = models.JSONField(null=True, editable=False)
    """What the last scan found by schema, and what the login's rights keep from being read; None before the first."""
    model = models.ForeignKey(StoredModel, null=True, on_delete=models.SET_NULL, related_name="sources")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "source"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="source_name_in_its_area")]

    def __str__(self) -> str:
        return self.name

    @property
    def platform_label(self) -> str:
        """The platform as people call it."""
        return "SQLAlchemy" if self.platform == OTHER else platforms.get(self.platform).label

    @property
    def kind_label(self) -> str:
        """What it is beside its platform, within a line; nothing for a live database."""
        return "" if self.kind == self.Kind.LIVE else self.get_kind_display().removeprefix("SQL ").lower()

    @property
    def is_upload(self) -> bool:
        """True where its files were handed in."""
        return self.kind in (self.Kind.SCRIPT, self.Kind.KIT)

    @property
    def target(self) -> str:
        """All that decides where, as whom and how safely a password is sent: the stored one goes nowhere else."""
        url = self.database if self.platform == OTHER else ""
        return "|".join((self.platform, self.host.lower(), str(self.port), self.user, self.tls, url))

    @property
    def place(self) -> str:
        """Where it is, in a machine's words; of uploads the names of the files."""
        if self.is_upload:
            names = [file.name for file in self.files.all()]
            return names[0] + (f" and {len(names) - 1} more" if len(names) > 1 else "") if names else ""
        return (
            self.database
            if self.kind == self.Kind.FILE or self.platform == OTHER
            else f"{self.host}:{self.port}/{self.database}"
        )


class SourceFile(models.Model):
    """A file that was handed in for a source, in its place among several."""

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="files")
    position = models.PositiveIntegerField()
    name = models.CharField(max_length=255)
    size = models.PositiveBigIntegerField()
    content = models.FileField(storage=private_files, upload_to="sources/%Y/%m", max_length=255)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "source_file"
        ordering = ["position"]

    def __str__(self) -> str:
        return self.name


class Preset(models.Model):
    """Intake settings under a name, shared in the area."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="presets")
    name = models.CharField(max_length=80)
    kinds = ArrayField(models.TextField(), default=list)
    schemas = ArrayField(models.TextField(), default=list, blank=True)
    include = models.TextField(blank=True)
    exclude = models.TextField(blank=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        db_table = "preset"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="preset_name_in_its_area")]

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


class Schedule(models.Model):
    """When a source is read on its own: a cron expression, in the time zone of the person who set it."""

    source = models.OneToOneField(Source, on_delete=models.CASCADE, related_name="schedule")
    cron = models.CharField(max_length=100)
    time_zone = models.CharField(max_length=64, default="UTC")
    next_at = models.DateTimeField()
    watchers = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="+")
    """Who gets a mail with each result."""
    last_job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="+")
    message = models.TextField(blank=True)
    """Why the last reading came late or was skipped; "" where it was on time."""
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        db_table = "schedule"

    def __str__(self) -> str:
        return f"{self.source_id}: {self.cron}"
