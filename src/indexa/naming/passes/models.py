"""Naming passes, their names and words, and names that are locked, as stored."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex
from django.db import models

from indexa.changes.models import ChangeSet
from indexa.naming.wordbooks.models import BookWord
from indexa.store.models import StoredModel


class NamingPass(models.Model):
    """One run that proposes names for a model, in one direction, until it is applied or discarded."""

    class Direction(models.TextChoices):
        BUSINESS = "business", "to business names"
        PHYSICAL = "physical", "to physical names"

    class State(models.TextChoices):
        OPEN = "open", "Open"
        APPLIED = "applied", "Applied"
        DISCARDED = "discarded", "Discarded"

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="naming_passes")
    direction = models.CharField(max_length=10, choices=Direction.choices, default=Direction.BUSINESS)
    kinds = ArrayField(models.CharField(max_length=10))
    only_missing = models.BooleanField()
    left_out = models.TextField(blank=True, db_default="")
    """What could not be proposed, as a sentence."""
    state = models.CharField(max_length=10, choices=State.choices, default=State.OPEN)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    change_set = models.OneToOneField(ChangeSet, null=True, on_delete=models.SET_NULL, related_name="naming_pass")

    class Meta:
        db_table = "naming_pass"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"Naming pass {self.pk}"


class PassWord(models.Model):
    """A word that a pass asks for: `options` are [word, confidence, [evidence]], the likeliest first.

    To business names `short` is the short form and a word is asked for; to physical names it is the other way round.
    """

    class State(models.TextChoices):
        OPEN = "open", "Open"
        SETTLED = "settled", "Settled"
        LEFT = "left", "Left for later"

    naming_pass = models.ForeignKey(NamingPass, on_delete=models.CASCADE, related_name="words")
    short = models.CharField(max_length=200)
    count = models.PositiveIntegerField()
    options = models.JSONField(default=list)
    state = models.CharField(max_length=10, choices=State.choices, default=State.OPEN)
    chosen = models.CharField(max_length=200, blank=True)
    book_word = models.ForeignKey(BookWord, null=True, on_delete=models.SET_NULL, related_name="+")
    """The word of a wordbook that settling this one made, or gave the short form to."""

    class Meta:
        db_table = "naming_pass_word"
        ordering = ["-count", "short"]
        constraints = [models.UniqueConstraint(fields=["naming_pass", "short"], name="word_once_in_its_pass")]

    def __str__(self) -> str:
        return self.short


class PassName(models.Model):
    """A name that a pass proposes: for a table or column, kept where its words are kept (`target`, `object_id`).

    `parts` are the core's parts of a business name, `open` the words that nobody has settled yet, `context_words` the words of its
    table. A `written` name was put in by a person and no longer follows its words. To physical names `name` is the business
    name, `before` and `after` are physical ones, `place` is the full name of today, `kind` the standard's kind of object, `scope`
    what the name must be unique in, and `notes` say what had to be done to it.
    """

    naming_pass = models.ForeignKey(NamingPass, on_delete=models.CASCADE, related_name="names")
    target = models.CharField(max_length=10)
    object_id = models.BigIntegerField()
    place = models.TextField()
    name = models.TextField()
    before = models.TextField(blank=True)
    after = models.TextField(blank=True)
    parts = models.JSONField(default=list)
    open = ArrayField(models.TextField(), default=list)
    words = ArrayField(models.TextField(), default=list)
    context_words = ArrayField(models.TextField(), default=list)
    scope = models.TextField(blank=True, db_default="")
    kind = models.CharField(max_length=20, blank=True, db_default="")
    notes = ArrayField(models.TextField(), default=list)
    confidence = models.FloatField(default=0)
    written = models.BooleanField(default=False)
    locked = models.BooleanField(default=False)

    class Meta:
        db_table = "naming_pass_name"
        indexes = [
            GinIndex(fields=["words"], name="pass_name_by_word"),
            models.Index(fields=["naming_pass", "place"], name="pass_name_in_order"),
            models.Index(fields=["naming_pass", "scope"], name="pass_name_in_scope"),
        ]

    def __str__(self) -> str:
        return self.place


class LockedName(models.Model):
    """A name that a person fixed, in one direction: later passes leave it alone."""

    direction = models.CharField(max_length=10, choices=NamingPass.Direction.choices, default="business")
    target = models.CharField(max_length=10)
    object_id = models.BigIntegerField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "locked_name"
        constraints = [models.UniqueConstraint(fields=["target", "object_id", "direction"], name="name_locked_once")]

    def __str__(self) -> str:
        return f"{self.target} {self.object_id}"
