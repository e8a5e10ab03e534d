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
        REVIEW = "review", "In review"
        SIGNED = "signed", "Signed off"
        PUBLISHING = "publishing", "Being published"
        PUBLISHED = "published", "Published"
        SUPERSEDED = "superseded", "Superseded"
        WITHDRAWN = "withdrawn", "Withdrawn"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="editions")
    number = models.PositiveIntegerField(null=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.BUILDING)
    title = models.CharField(max_length=160)
    note = models.TextField(blank=True)
    content = models.JSONField(default=dict)
    """What goes in: `Choices`."""
    withheld = models.JSONField(default=list)
    """Full names of tables and columns that are left out for their class: known here, told nowhere."""
    mentions = models.JSONField(default=list)
    """Texts that name some of that all the same: `core.edition.mentions.Mention`, for those who prepare and sign it."""
    summary = models.JSONField(default=dict)
    """What went in: names of models and counts, fixed when the pages were made."""
    frozen = models.ForeignKey("EditionContent", null=True, on_delete=models.PROTECT, related_name="+")
    """All that it tells, as it was when the draft was made: what people sign, and what every form of it is made from."""
    follows = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="followed_by")
    """The edition of the same title before it."""
    checksum = models.CharField(max_length=64, blank=True)
    """SHA-256 over the names and digests of all its files, once it is published."""
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


class EditionContent(models.Model):
    """Bytes under their SHA-256, gzip-compressed: what several editions have in common is kept once."""

    digest = models.CharField(primary_key=True, max_length=64)
    content = models.BinaryField()
    size = models.PositiveIntegerField()
    """Before it was compressed, in bytes."""

    class Meta:
        db_table = "edition_content"

    def __str__(self) -> str:
        return self.digest


class EditionFile(models.Model):
    """One file of an edition: a page, a document, an open format."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="files")
    path = models.CharField(max_length=300)
    stored = models.ForeignKey(EditionContent, on_delete=models.PROTECT, related_name="+")

    class Meta:
        db_table = "edition_file"
        constraints = [models.UniqueConstraint(fields=["edition", "path"], name="one_file_at_a_path")]

    def __str__(self) -> str:
        return self.path


class Approval(models.Model):
    """What one person says of an edition that they were asked to sign: exactly the content with this digest, or why not."""

    class State(models.TextChoices):
        ASKED = "asked", "Asked"
        APPROVED = "approved", "Approved"
        RETURNED = "returned", "Returned"

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="approvals")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    name = models.CharField(max_length=200)
    """What the person was called then: it outlives the account."""
    state = models.CharField(max_length=10, choices=State.choices, default=State.ASKED)
    digest = models.CharField(max_length=64, blank=True)
    note = models.TextField(blank=True)
    asked_at = models.DateTimeField(auto_now_add=True)
    decided_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "edition_approval"
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["edition", "person"], name="asked_once_for_an_edition")]

    def __str__(self) -> str:
        return f"{self.name}: {self.state}"


class SigningRule(models.Model):
    """How many people sign an edition of an area before it is published; whoever prepared it is none of them."""

    area = models.OneToOneField(Area, primary_key=True, on_delete=models.CASCADE, related_name="signing_rule")
    approvals = models.PositiveSmallIntegerField(default=1)
    lists_openly = models.BooleanField(default=False)
    """Whether anybody may read its published editions, without an account or a link."""

    class Meta:
        db_table = "signing_rule"

    def __str__(self) -> str:
        return f"{self.approvals} for {self.area_id}"


class CoverLogo(models.Model):
    """The picture on the cover of an area's editions."""

    area = models.OneToOneField(Area, primary_key=True, on_delete=models.CASCADE, related_name="cover_logo")
    content = models.BinaryField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now=True)

    class Meta:
        db_table = "cover_logo"

    def __str__(self) -> str:
        return f"logo of {self.area_id}"


class ReadingLink(models.Model):
    """Lets anybody who has it read one edition, until it is revoked. Only a hash of its token is kept."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="reading_links")
    token_hash = models.CharField(max_length=64, unique=True)
    label = models.CharField(max_length=120)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    revoked_at = models.DateTimeField(null=True)
    ends_at = models.DateTimeField(null=True)
    """When it stops opening the edition by itself; None for never."""
    passphrase = models.CharField(max_length=200, blank=True)
    """Hashed as passwords are; "" where the link opens without one."""
    wrong = models.PositiveIntegerField(default=0)
    wrong_at = models.DateTimeField(null=True)
    """How often a wrong passphrase was given lately, and when last."""
    opened = models.PositiveIntegerField(default=0)
    """How often the first page was opened through it."""

    class Meta:
        db_table = "reading_link"
        ordering = ["-made_at"]

    def __str__(self) -> str:
        return self.label

    @staticmethod
    def hash_of(token: str) -> str:
        """Hash a token the way it is stored."""
        return hashlib.sha256(token.encode()).hexdigest()


class Destination(models.Model):
    """A shared catalog or place for files that editions of an area are pushed to. Its secret is kept sealed, never in clear."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="destinations")
    kind = models.CharField(max_length=20)
    """A kind of `adapters.pushing`."""
    label = models.CharField(max_length=120)
    address = models.CharField(max_length=400)
    name = models.SlugField(max_length=80)
    """What the area is called there."""
    sealed_secret = models.TextField(blank=True, editable=False)
    at_publication = models.BooleanField(default=False)
    """Whether each edition is pushed as soon as it is published."""

    class Meta:
        db_table = "destination"
        ordering = ["label"]
        constraints = [models.UniqueConstraint(fields=["area", "label"], name="destination_label_in_its_area")]

    def __str__(self) -> str:
        return self.label


class Push(models.Model):
    """One time that an edition was pushed to a destination: what it changed there, or why it failed."""

    class State(models.TextChoices):
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"

    destination = models.ForeignKey(Destination, on_delete=models.CASCADE, related_name="pushes")
    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="pushes")
    state = models.CharField(max_length=10, choices=State.choices, default=State.RUNNING)
    outcome = models.TextField(blank=True)
    details = models.JSONField(default=list)
    """What was done with which file or dataset, as pairs."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "push"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.edition_id} to {self.destination_id}: {self.state}"


class EditionTemplate(models.Model):
    """Choices of an edition that are kept for the next one, shared in the area."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="edition_templates")
    name = models.CharField(max_length=80)
    purpose = models.CharField(max_length=300, blank=True)
    choices = models.JSONField(default=dict)
    """`Choices.as_template`."""

    class Meta:
        db_table = "edition_template"
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="template_name_in_its_area")]

    def __str__(self) -> str:
        return self.name
