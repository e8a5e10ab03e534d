"""The dictionary's own narrow table: one row a column, made from the model by `rows.refresh`."""

from __future__ import annotations

from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db import models

from indexa.store.models import StoredColumn


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
