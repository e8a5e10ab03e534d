"""The dictionary's own narrow table: one row a column, made from the model by `rows.refresh`."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db import models

from indexa.areas.models import Area
from indexa.store.models import StoredColumn, StoredModel


class DictionaryRow(models.Model):
    """What search, filters and order need to know of a column, side by side and small.

    It is derived: nothing is edited here, and its links carry no constraint, so that a bulk load
    pays for none. `text` is all that can be searched, in lower case; `sort_key` is the place in
    dictionary order within the model.
    """

    column = models.OneToOneField(
        StoredColumn,
        primary_key=True,
        on_delete=models.DO_NOTHING,
        db_constraint=False,
        related_name="dictionary_row",
    )
    area_id = models.BigIntegerField()
    model_id = models.BigIntegerField()
    table_id = models.BigIntegerField()
    layer = models.CharField(max_length=10)
    sort_key = models.TextField(db_collation="C")
    name = models.TextField(db_collation="C")
    schema = models.TextField()
    kind = models.CharField(max_length=20)
    family = models.CharField(max_length=20)
    roles = models.PositiveSmallIntegerField()
    nullable = models.BooleanField()
    named = models.BooleanField()
    described = models.BooleanField()
    owned = models.BooleanField(default=False, db_default=False)
    classified = models.BooleanField(default=False, db_default=False)
    """Whether somebody said so under every scheme that applies, here or above: a default alone does not count."""
    said = ArrayField(models.TextField(), default=list, db_default=[])
    """What holds under each aspect, as "3:c12": the id of the aspect and the value as it is kept."""
    text = models.TextField(db_collation="C")

    class Meta:
        db_table = "dictionary_row"
        indexes = [
            models.Index(fields=["area_id", "layer", "model_id", "sort_key"], name="dictionary_order"),
            models.Index(fields=["table_id"], name="dictionary_table"),
            GinIndex(fields=["said"], name="dictionary_said"),
            GinIndex(OpClass("text", name="gin_trgm_ops"), name="dictionary_text"),
        ]

    def __str__(self) -> str:
        return self.name


class SavedView(models.Model):
    """A view of the dictionary under a name: its address, of one person, or shared with the area."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="saved_views")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="saved_views")
    name = models.CharField(max_length=80)
    address = models.TextField()
    """Its query string: text, filters, order and columns."""
    is_shared = models.BooleanField(default=False)

    class Meta:
        db_table = "saved_view"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "person", "name"], name="view_name_of_its_person")]

    def __str__(self) -> str:
        return self.name


class CoverageDay(models.Model):
    """How far a model was at the end of a day, or is today."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="coverage_days")
    day = models.DateField()
    columns = models.IntegerField()
    named = models.IntegerField()
    described = models.IntegerField()
    owned = models.IntegerField()
    classified = models.IntegerField()

    class Meta:
        db_table = "coverage_day"
        constraints = [models.UniqueConstraint(fields=["model", "day"], name="coverage_of_a_day")]

    def __str__(self) -> str:
        return f"{self.model_id} on {self.day}"


class SheetExport(models.Model):
    """A selection that was exported to be edited: what each cell held then, packed, so that what comes back is compared with it.

    `mark` stands in the sheet, by which it is known again.
    """

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="sheet_exports")
    mark = models.CharField(max_length=24, unique=True)
    kind = models.CharField(max_length=10, default="columns", db_default="columns")
    """What its rows are: columns and tables, terms, or codes; a `SheetKind`."""
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    fields = models.JSONField()
    """The fields of the sheet by name, with their headings."""
    rows = models.PositiveIntegerField()
    content = models.BinaryField()

    class Meta:
        db_table = "sheet_export"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.mark


class SheetReview(models.Model):
    """A sheet that came back, until a person has decided what of it is taken."""

    class State(models.TextChoices):
        READING = "reading", "Being read"
        WAITING = "waiting", "Waiting"
        APPLIED = "applied", "Applied"
        DISCARDED = "discarded", "Discarded"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="sheet_reviews")
    export = models.ForeignKey(SheetExport, null=True, on_delete=models.CASCADE, related_name="reviews")
    name = models.CharField(max_length=255)
    file = models.BinaryField(null=True)
    """What was handed in, until it is read."""
    state = models.CharField(max_length=10, choices=State.choices, default=State.READING)
    remarks = models.JSONField(default=list)
    """What of the sheet says nothing, and why."""
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    applied = models.PositiveIntegerField(default=0)

    class Meta:
        db_table = "sheet_review"
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.name


class SheetCell(models.Model):
    """A cell that somebody wrote: when exported, in the sheet, and now; `problem` says why it can't be taken, `conflict` that it
    was changed here too."""

    class Decision(models.TextChoices):
        TAKE = "take", "Take sheet"
        KEEP = "keep", "Keep ours"

    review = models.ForeignKey(SheetReview, on_delete=models.CASCADE, related_name="cells")
    number = models.PositiveIntegerField()
    line = models.PositiveIntegerField()
    key = models.CharField(max_length=24)
    label = models.TextField()
    field = models.CharField(max_length=24)
    title = models.CharField(max_length=80)
    exported = models.TextField(blank=True)
    written = models.TextField(blank=True)
    now = models.TextField(blank=True)
    conflict = models.BooleanField(default=False)
    problem = models.TextField(blank=True)
    decision = models.CharField(max_length=4, choices=Decision.choices, default=Decision.TAKE)

    class Meta:
        db_table = "sheet_cell"
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["review", "number"], name="sheet_cell_in_its_place")]

    def __str__(self) -> str:
        return f"{self.label}: {self.title}"


class DictionaryCoverage(models.Model):
    """How many columns of a table the dictionary has, and how many of them are named, described, owned and classified.

    The database keeps it true by itself whenever the rows change (migration 0002); a table without columns has none.
    """

    table_id = models.BigIntegerField(primary_key=True)
    model_id = models.BigIntegerField(db_index=True)
    columns = models.IntegerField()
    named = models.IntegerField()
    described = models.IntegerField()
    owned = models.IntegerField(default=0, db_default=0)
    classified = models.IntegerField(default=0, db_default=0)

    class Meta:
        db_table = "dictionary_coverage"

    def __str__(self) -> str:
        return f"{self.table_id}: {self.described} of {self.columns}"
