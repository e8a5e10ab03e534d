"""Models as stored: both layers in the same tables, linked by realisation, every change in a change set.

A name that a person gave anew (a table's, column's, key's) stands beside the one the source has: in `source_name` of tables
and columns, in the `properties` of what hangs on them, which are kept as they were read and are told in today's names on loading.

A physical column's `attribute` and a physical table's `entity` are its realisation link; both stand
in the same table one layer up. Neither those links nor those from the parts of a table to it carry
a constraint (a bulk load would pay for a check a row, some ten seconds in ten thousand tables):
`storing` and `bulk.delete_model`, which write them in sets, keep them true. Ids are given out in
blocks before a bulk COPY, and an object keeps its id for good: it is its identity, through renames
and later readings.
"""

from __future__ import annotations

from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Deferrable, Q

from indexa.areas.models import Area


class Layer(models.TextChoices):
    """Where a model stands."""

    PHYSICAL = "physical", "Physical"
    LOGICAL = "logical", "Logical"


class StoredModel(models.Model):
    """A physical or logical model. Several physical ones may share one logical model."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="models")
    name = models.CharField(max_length=120)
    layer = models.CharField(max_length=10, choices=Layer.choices)
    logical = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="physical_models")
    platform = models.CharField(max_length=40, blank=True)
    platform_version = models.CharField(max_length=120, blank=True)
    comment = models.TextField(blank=True)
    schemas = models.JSONField(default=list)
    snapshot = models.ForeignKey("Snapshot", null=True, on_delete=models.PROTECT)
    created_at = models.DateTimeField(auto_now_add=True)
    read_at = models.DateTimeField(null=True)
    changed_by_hand = models.BooleanField(default=False)
    """Whether people changed the structure of a model that a source feeds; what they changed is what its snapshot has not."""
    is_starter = models.BooleanField(default=False)
    """Whether new models of the area are offered to begin with it: its tables, types, standard and choices of diagram."""

    class Meta:
        db_table = "model"
        ordering = ["layer", "name"]
        constraints = [models.UniqueConstraint(fields=["area", "layer", "name"], name="model_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class StoredTable(models.Model):
    """A table, view or entity. `properties` holds what is only shown: options, partitions, parents, triggers."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="tables", db_index=False)
    schema = models.TextField(blank=True)
    name = models.TextField()
    kind = models.CharField(max_length=20)
    comment = models.TextField(blank=True)
    business_name = models.TextField(blank=True)
    definition = models.TextField(blank=True)
    definition_sql = models.TextField(blank=True)
    properties = models.JSONField(default=dict)
    entity = models.ForeignKey(
        "self",
        null=True,
        on_delete=models.SET_NULL,
        related_name="realised_by",
        db_constraint=False,
        db_index=False,
    )
    origin = models.TextField(blank=True)
    removed_at = models.DateTimeField(null=True)
    source_name = models.TextField(blank=True, default="", db_default="")
    """The name that the source has, where a person gave another one."""
    table_role = models.TextField(blank=True, db_default="")
    """The role it plays, as a person decided: code table, many-to-many table, subtype."""

    class Meta:
        db_table = "model_table"
        constraints = [
            models.UniqueConstraint(
                fields=["model", "schema", "name", "removed_at"],
                nulls_distinct=False,
                deferrable=Deferrable.IMMEDIATE,
                name="table_name_in_its_schema",
            )
        ]
        indexes = [
            models.Index(fields=["entity"], condition=Q(entity__isnull=False), name="table_realising"),
            models.Index(fields=["model"], condition=~Q(source_name=""), name="table_renamed"),
        ]

    def __str__(self) -> str:
        return self.full_name

    @property
    def full_name(self) -> str:
        """Schema and name with a dot between them."""
        return f"{self.schema}.{self.name}" if self.schema else self.name


class StoredColumn(models.Model):
    """A column or attribute. `business_name` and `definition` of a column override its attribute's."""

    table = models.ForeignKey(
        StoredTable, on_delete=models.CASCADE, related_name="columns", db_index=False, db_constraint=False
    )
    name = models.TextField()
    position = models.PositiveIntegerField()
    type = models.TextField()
    family = models.CharField(max_length=20)
    nullable = models.BooleanField()
    default = models.TextField(null=True)  # noqa: DJ001  an empty default is not the same as none
    identity = models.CharField(max_length=10, blank=True)
    generated = models.TextField(null=True)  # noqa: DJ001
    collation = models.TextField(blank=True)
    comment = models.TextField(blank=True)
    roles = models.PositiveSmallIntegerField(default=0)
    business_name = models.TextField(blank=True)
    definition = models.TextField(blank=True)
    attribute = models.ForeignKey(
        "self",
        null=True,
        on_delete=models.SET_NULL,
        related_name="realised_by",
        db_constraint=False,
        db_index=False,
    )
    migrated_from = models.ForeignKey(
        "self", null=True, on_delete=models.SET_NULL, related_name="+", db_constraint=False, db_index=False
    )
    origin = models.TextField(blank=True)
    removed_at = models.DateTimeField(null=True)
    remark = models.TextField(blank=True)
    source_name = models.TextField(blank=True, default="", db_default="")

    class Meta:
        db_table = "model_column"
        constraints = [
            # Asked at the end of a statement, not row by row: two columns can change their names with each other.
            models.UniqueConstraint(
                fields=["table", "name", "removed_at"],
                nulls_distinct=False,
                deferrable=Deferrable.IMMEDIATE,
                name="column_name_in_its_table",
            )
        ]
        indexes = [
            models.Index(fields=["attribute"], condition=Q(attribute__isnull=False), name="column_realising"),
            models.Index(fields=["table"], condition=~Q(source_name=""), name="column_renamed"),
            models.Index(fields=["migrated_from"], condition=Q(migrated_from__isnull=False), name="column_migrated"),
        ]

    def __str__(self) -> str:
        return self.name


class StoredKey(models.Model):
    """A primary, unique or exclusion key. `properties` holds the core's record of it."""

    class Kind(models.TextChoices):
        PRIMARY = "primary", "Primary key"
        UNIQUE = "unique", "Unique key"
        EXCLUSION = "exclusion", "Exclusion constraint"

    table = models.ForeignKey(StoredTable, on_delete=models.CASCADE, related_name="keys", db_constraint=False)
    kind = models.CharField(max_length=10, choices=Kind.choices)
    name = models.TextField()
    column_ids = ArrayField(models.BigIntegerField())
    properties = models.JSONField(default=dict)
    asserted_at = models.DateTimeField(null=True)
    """When a person said that this key holds, which the source does not declare; by whom, its change set tells."""

    class Meta:
        db_table = "model_key"

    def __str__(self) -> str:
        return self.name


class TableViews(models.Model):
    """How often the page of a table was opened: what is looked at most is described first."""

    table = models.OneToOneField(
        StoredTable, primary_key=True, on_delete=models.CASCADE, related_name="view_counts", db_constraint=False
    )
    count = models.PositiveIntegerField(default=0)

    class Meta:
        db_table = "table_views"

    def __str__(self) -> str:
        return f"{self.table_id}: {self.count}"


class StoredRelationship(models.Model):
    """A reference from a child table to its parent; the parent may lie outside the model."""

    table = models.ForeignKey(StoredTable, on_delete=models.CASCADE, related_name="references", db_constraint=False)
    ref_table = models.ForeignKey(
        StoredTable, null=True, on_delete=models.CASCADE, related_name="referenced_by", db_constraint=False
    )
    name = models.TextField()
    column_ids = ArrayField(models.BigIntegerField())
    ref_column_ids = ArrayField(models.BigIntegerField())
    identifying = models.BooleanField()
    optional = models.BooleanField()
    one_to_one = models.BooleanField()
    properties = models.JSONField(default=dict)
    asserted_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "model_relationship"

    def __str__(self) -> str:
        return self.name


class DetachedConstraint(models.Model):
    """An asserted key or relationship that waits for its table or columns to come back: it is kept, and counts nowhere."""

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="+")
    target = models.CharField(max_length=12)
    object_id = models.BigIntegerField()
    assertion = models.JSONField()

    class Meta:
        db_table = "detached_constraint"

    def __str__(self) -> str:
        return f"{self.target} {self.object_id}"


class StoredIndex(models.Model):
    """An index that backs no key; `properties` is the core's record of it."""

    table = models.ForeignKey(StoredTable, on_delete=models.CASCADE, related_name="indexes", db_constraint=False)
    name = models.TextField()
    properties = models.JSONField(default=dict)

    class Meta:
        db_table = "model_index"

    def __str__(self) -> str:
        return self.name


class StoredCheck(models.Model):
    """A check constraint; `properties` is the core's record of it."""

    table = models.ForeignKey(StoredTable, on_delete=models.CASCADE, related_name="checks", db_constraint=False)
    name = models.TextField()
    properties = models.JSONField(default=dict)

    class Meta:
        db_table = "model_check"

    def __str__(self) -> str:
        return self.name


class StoredObject(models.Model):
    """A part of a model that belongs to no table: a type, domain, sequence or routine."""

    class Kind(models.TextChoices):
        ENUM = "enum", "Enum type"
        DOMAIN = "domain", "Domain"
        COMPOSITE = "composite", "Composite type"
        RANGE = "range", "Range type"
        SEQUENCE = "sequence", "Sequence"
        ROUTINE = "routine", "Routine"

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="model_objects")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    schema = models.TextField(blank=True)
    name = models.TextField()
    properties = models.JSONField(default=dict)

    class Meta:
        db_table = "model_object"

    def __str__(self) -> str:
        return self.name


class Snapshot(models.Model):
    """What a source said in one reading, kept once by the hash of its model file, compressed."""

    digest = models.CharField(max_length=64, primary_key=True)
    content = models.BinaryField()
    size = models.PositiveBigIntegerField()
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "snapshot"

    def __str__(self) -> str:
        return self.digest


class DescribedColumn(models.Model):
    """A column with the words it shows, wherever they come from: the view `described_column`.

    `definition_from` is "column" (an override), "attribute", "migrated" (brought by a foreign key
    from `migrated_entity`) or "". What is gone is not in it.
    """

    id = models.BigIntegerField(primary_key=True)
    area = models.ForeignKey(Area, on_delete=models.DO_NOTHING, related_name="+")
    model = models.ForeignKey(StoredModel, on_delete=models.DO_NOTHING, related_name="+")
    layer = models.TextField()
    table = models.ForeignKey(StoredTable, on_delete=models.DO_NOTHING, related_name="described_columns")
    schema = models.TextField()
    table_name = models.TextField()
    table_kind = models.TextField()
    table_business_name = models.TextField()
    table_definition = models.TextField()
    name = models.TextField()
    position = models.IntegerField()
    type = models.TextField()
    family = models.TextField()
    nullable = models.BooleanField()
    default = models.TextField(null=True)  # noqa: DJ001
    identity = models.TextField()
    generated = models.TextField(null=True)  # noqa: DJ001
    collation = models.TextField()
    comment = models.TextField()
    roles = models.IntegerField()
    attribute = models.ForeignKey(StoredColumn, null=True, on_delete=models.DO_NOTHING, related_name="+")
    business_name = models.TextField()
    definition = models.TextField()
    definition_from = models.TextField()
    migrated_entity = models.TextField()
    migrated_from = models.ForeignKey(StoredColumn, null=True, on_delete=models.DO_NOTHING, related_name="+")

    class Meta:
        managed = False
        db_table = "described_column"

    def __str__(self) -> str:
        return self.name

    @property
    def table_full_name(self) -> str:
        """Schema and table with a dot between them."""
        return f"{self.schema}.{self.table_name}" if self.schema else self.table_name
