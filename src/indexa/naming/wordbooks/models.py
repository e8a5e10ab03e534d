"""Wordbooks, their words, and the stack that an area uses, as stored."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex
from django.db import models
from django.db.models.functions import Lower

from indexa.areas.models import Area


class Wordbook(models.Model):
    """Words under one name. It belongs to one area, whose stewards write it; others may use it."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="wordbooks")
    name = models.CharField(max_length=80)

    class Meta:
        db_table = "wordbook"
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="wordbook_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class WordbookUse(models.Model):
    """A place in an area's stack of wordbooks, its own ones and those of other areas; the lowest rank decides first."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="wordbook_uses")
    wordbook = models.ForeignKey(Wordbook, on_delete=models.CASCADE, related_name="uses")
    rank = models.PositiveIntegerField(default=0)

    class Meta:
        db_table = "wordbook_use"
        ordering = ["rank", "pk"]
        constraints = [models.UniqueConstraint(fields=["area", "wordbook"], name="wordbook_once_in_its_stack")]

    def __str__(self) -> str:
        return f"{self.wordbook} in {self.area}"


class TermIssue(models.Model):
    """Something odd about words that was found in models, for a person to decide.

    A synonym: `short` is the rarer word, `word` the usual one. A misspelling: `short` is the slip. A homonym: `word` holds
    both meanings with a semicolon between them.
    """

    class Kind(models.TextChoices):
        HOMONYM = "homonym", "One short form, two meanings"
        SYNONYM = "synonym", "Two words for one concept"
        MISSPELLING = "misspelling", "Probably misspelled"

    class State(models.TextChoices):
        OPEN = "open", "Open"
        TAKEN = "taken", "Taken"
        REJECTED = "rejected", "Rejected"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="word_doubts")
    kind = models.CharField(max_length=12, choices=Kind.choices)
    short = models.CharField(max_length=200)
    word = models.CharField(max_length=400)
    confidence = models.FloatField()
    evidence = ArrayField(models.TextField(), default=list)
    places = ArrayField(models.TextField(), default=list)
    count = models.PositiveIntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.OPEN)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)

    class Meta:
        db_table = "word_doubt"
        ordering = ["kind", "-count", "short"]
        constraints = [models.UniqueConstraint(fields=["area", "kind", "short", "word"], name="doubt_once_in_its_area")]

    def __str__(self) -> str:
        return f"{self.kind}: {self.short}"


class BookWord(models.Model):
    """A word or phrase, its short forms in small letters with the preferred one first, and what it means."""

    class Status(models.TextChoices):
        PROPOSED = "proposed", "Proposed"
        AGREED = "agreed", "Agreed"
        RETIRED = "retired", "Retired"

    wordbook = models.ForeignKey(Wordbook, on_delete=models.CASCADE, related_name="words")
    word = models.CharField(max_length=200)
    abbreviations = ArrayField(models.CharField(max_length=200), default=list)
    context_words = ArrayField(models.CharField(max_length=200), default=list, blank=True)
    """Words, as names have them, beside which this word is meant; empty where it needs no company."""
    status = models.CharField(max_length=10, choices=Status.choices, default=Status.AGREED)
    meaning = models.TextField(blank=True)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    evidence = ArrayField(models.TextField(), default=list)
    confidence = models.FloatField(null=True)
    changed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        db_table = "wordbook_word"
        ordering = [Lower("word")]
        constraints = [models.UniqueConstraint("wordbook", Lower("word"), name="word_once_in_its_book")]
        indexes = [GinIndex(fields=["abbreviations"], name="word_by_short_form")]

    def __str__(self) -> str:
        return self.word
