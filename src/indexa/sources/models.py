"""Sources, and what each reading of one brought."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.core.files.storage import FileSystemStorage
from django.db import models

from indexa.adapters.address import TLS_MODES
from indexa.adapters.live import OTHER
from indexa.areas.models import Area
from indexa.changes.models import ChangeSet
from indexa.core import platforms
from indexa.jobs.models import Job
from indexa.modeling.models import Snapshot, StoredModel


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


class Rereading(models.Model):
    """What a later reading of a source found to be otherwise than in the model, until a person has decided."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        TAKEN = "taken", "Taken"
        PUT_AWAY = "put away", "Put away"

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="rereadings")
    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="rereadings")
    intake = models.OneToOneField(Intake, on_delete=models.CASCADE, related_name="rereading")
    before = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    after = models.ForeignKey(Snapshot, on_delete=models.PROTECT, related_name="+")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    apart = ArrayField(models.TextField(), default=list)
    """Renames that a person said are none."""
    scheduled = models.BooleanField(default=False)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    decided_at = models.DateTimeField(null=True)
    change_set = models.ForeignKey(ChangeSet, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "rereading"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.source_id} read again at {self.at}"


class FoundDifference(models.Model):
    """One difference of a later reading, and what a person decided about it.

    `conflict` is "" or what a person changed that the source changed too; `mine` and `theirs` are both values then, `by` and
    `by_at` say who made mine. `object_id` is the stored table, column or attribute that `mine` belongs to.
    """

    class Decision(models.TextChoices):
        TAKE = "take", "Take source"
        KEEP = "keep", "Keep model"
        LATER = "later", "Later"

    rereading = models.ForeignKey(Rereading, on_delete=models.CASCADE, related_name="differences")
    number = models.PositiveIntegerField()
    identity = models.TextField()
    kind = models.CharField(max_length=10)
    what = models.CharField(max_length=20)
    schema = models.TextField(blank=True)
    table = models.TextField(blank=True)
    name = models.TextField(blank=True)
    field = models.CharField(max_length=40, blank=True)
    before = models.TextField(blank=True)
    after = models.TextField(blank=True)
    evidence = ArrayField(models.TextField(), default=list)
    requires = ArrayField(models.TextField(), default=list)
    seen_before = models.BooleanField(default=False)
    """True where an earlier reading had found it already and it was left for later."""
    conflict = models.CharField(max_length=12, blank=True)
    mine = models.TextField(blank=True)
    theirs = models.TextField(blank=True)
    by = models.TextField(blank=True)
    by_at = models.DateTimeField(null=True)
    target = models.CharField(max_length=12, blank=True)
    object_id = models.BigIntegerField(default=0)
    note = models.TextField(blank=True)
    decision = models.CharField(max_length=5, choices=Decision.choices, default=Decision.TAKE)

    class Meta:
        db_table = "found_difference"
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["rereading", "number"], name="difference_in_its_place")]

    def __str__(self) -> str:
        return self.identity

    @property
    def full_table(self) -> str:
        """Schema and table with a dot between them; "" for what belongs to no table."""
        return f"{self.schema}.{self.table}" if self.schema and self.table else self.table


class Schedule(models.Model):
    """When a source is read on its own. `cron` is a cron expression, in UTC."""

    source = models.OneToOneField(Source, on_delete=models.CASCADE, related_name="schedule")
    cron = models.CharField(max_length=100)
    next_at = models.DateTimeField()
    watchers = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="+")
    """Who gets a mail with each result."""
    last_job = models.ForeignKey(Job, null=True, on_delete=models.SET_NULL, related_name="+")
    said = models.TextField(blank=True)
    """Why the last reading came late or was skipped; "" where it was on time."""
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")

    class Meta:
        db_table = "schedule"

    def __str__(self) -> str:
        return f"{self.source_id}: {self.cron}"
