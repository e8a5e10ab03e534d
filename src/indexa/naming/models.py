"""Wordbooks and naming passes as stored."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex
from django.db import models
from django.db.models.functions import Lower

from indexa.areas.models import Area
from indexa.changes.models import ChangeSet
from indexa.modeling.models import StoredModel


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


class Doubt(models.Model):
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
    shorts = ArrayField(models.CharField(max_length=200), default=list)
    beside = ArrayField(models.CharField(max_length=200), default=list, blank=True)
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
        indexes = [GinIndex(fields=["shorts"], name="word_by_short_form")]

    def __str__(self) -> str:
        return self.word


class NamingPass(models.Model):
    """One run that proposes names for a model, in one direction, until it is applied or put away."""

    class Direction(models.TextChoices):
        BUSINESS = "business", "to business names"
        PHYSICAL = "physical", "to physical names"

    class State(models.TextChoices):
        OPEN = "open", "Open"
        APPLIED = "applied", "Applied"
        PUT_AWAY = "put away", "Put away"

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

    `parts` are the core's parts of a business name, `open` the words that nobody has settled yet, `beside` the words of its
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
    beside = ArrayField(models.TextField(), default=list)
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


class StoredStandard(models.Model):
    """A naming standard: the core's record of its rules, and the models that it governs. Words are the wordbooks'."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="naming_standards")
    name = models.CharField(max_length=80)
    version = models.PositiveIntegerField(default=1)
    content = models.JSONField()
    governs = models.ManyToManyField(StoredModel, related_name="naming_standards")

    class Meta:
        db_table = "naming_standard"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="standard_name_in_its_area")]

    def __str__(self) -> str:
        return f"{self.name} {self.version}"


class StandardVersion(models.Model):
    """What a standard was from some day on."""

    standard = models.ForeignKey(StoredStandard, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    content = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    why = models.CharField(max_length=300, blank=True)

    class Meta:
        db_table = "naming_standard_version"
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["standard", "number"], name="version_once_in_its_standard")]

    def __str__(self) -> str:
        return f"version {self.number}"


class NamingCheck(models.Model):
    """When the names of a model were last held against which version of its standard."""

    model = models.OneToOneField(StoredModel, on_delete=models.CASCADE, related_name="naming_check")
    version = models.ForeignKey(StandardVersion, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        db_table = "naming_check"

    def __str__(self) -> str:
        return f"check of model {self.model_id}"


class NameFinding(models.Model):
    """A name that a rule speaks against, as the last check of its model found it."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="name_findings")
    rule = models.CharField(max_length=20)
    severity = models.CharField(max_length=10)
    kind = models.CharField(max_length=20)
    place = models.TextField()
    name = models.TextField()
    table_name = models.TextField(blank=True)
    why = models.TextField()
    should = models.TextField(blank=True)
    fingerprint = models.TextField()
    target = models.CharField(max_length=12, blank=True, db_default="")
    """What a renaming would change; "" where names of this kind can't be changed here."""
    object_id = models.BigIntegerField(null=True)

    class Meta:
        db_table = "name_finding"
        indexes = [models.Index(fields=["model", "rule"], name="finding_by_rule")]

    def __str__(self) -> str:
        return f"{self.rule}: {self.place}"


class Waiver(models.Model):
    """A finding that a person let stand, and why."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="name_waivers")
    fingerprint = models.TextField()
    reason = models.CharField(max_length=300)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "name_waiver"
        constraints = [models.UniqueConstraint(fields=["model", "fingerprint"], name="finding_waived_once")]

    def __str__(self) -> str:
        return self.fingerprint
