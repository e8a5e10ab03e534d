"""What was found in a model and waits for a person, or was decided."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.changes.models import ChangeSet
from indexa.store.models import StoredModel


class StoredProposal(models.Model):
    """One proposal for a model. Its table and columns are named by id, without constraint: a decision outlives them.

    `identity` says what is proposed, so that what was decided does not come back.
    """

    class State(models.TextChoices):
        OPEN = "open", "Open"
        ACCEPTED = "accepted", "Accepted"
        REJECTED = "rejected", "Rejected"

    class Kind(models.TextChoices):
        FOREIGN_KEY = "foreign_key", "Relationship"
        TYPED_REFERENCE = "typed_reference", "Relationship by type"
        PRIMARY_KEY = "primary_key", "Primary key"
        UNIQUE = "unique", "Unique key"
        MANY_TO_MANY = "many_to_many", "Many-to-many table"
        SUBTYPE = "subtype", "Subtype"
        CODE_TABLE = "code_table", "Code table"
        FACT = "fact", "Fact"
        DIMENSION = "dimension", "Dimension"
        BRIDGE = "bridge", "Bridge"
        AGGREGATE = "aggregate", "Aggregate"
        REPEATED_COLUMN = "repeated_column", "Repeated column"
        DEFINITION = "definition", "Definition from a comment"
        SAME_ENTITY = "same_entity", "Same entity"

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="proposals")
    kind = models.CharField(max_length=20, choices=Kind.choices)
    identity = models.CharField(max_length=64)
    pattern = models.TextField()
    table_id = models.BigIntegerField()
    table_name = models.TextField()
    column_ids = ArrayField(models.BigIntegerField())
    columns = ArrayField(models.TextField())
    ref_table_id = models.BigIntegerField(null=True)
    ref_table_name = models.TextField(blank=True)
    ref_column_ids = ArrayField(models.BigIntegerField(), default=list)
    ref_columns = ArrayField(models.TextField(), default=list)
    confidence = models.FloatField()
    evidence = ArrayField(models.TextField(), default=list)
    cardinality = models.CharField(max_length=20, blank=True)
    optional = models.BooleanField(default=False)
    only_where = models.TextField(blank=True)
    text = models.TextField(blank=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.OPEN)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    decided_at = models.DateTimeField(null=True)
    change_set = models.ForeignKey(ChangeSet, null=True, on_delete=models.SET_NULL, related_name="+")
    found_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        db_table = "model_proposal"
        constraints = [models.UniqueConstraint(fields=["model", "identity"], name="proposal_once_in_its_model")]
        indexes = [models.Index(fields=["model", "state", "kind"], name="proposals_of_a_model")]

    def __str__(self) -> str:
        return f"{self.get_kind_display()} {self.table_name}({', '.join(self.columns)})"
