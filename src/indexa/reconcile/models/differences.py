"""A difference as it is kept in a row, whatever it belongs to."""

from __future__ import annotations

from typing import Any

from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.core.compare.differences import Difference


class KeptDifference(models.Model):
    """A difference as the core tells it, kept in a row: what differs where, both values, and what it can't be without."""

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

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.identity

    @property
    def full_table(self) -> str:
        """Schema and table with a dot between them; "" for what belongs to no table."""
        return f"{self.schema}.{self.table}" if self.schema and self.table else self.table

    def as_core(self) -> Difference:
        """Return it as the core has it."""
        kind: Any = self.kind
        return Difference(
            id=self.identity, kind=kind, what=self.what, schema=self.schema, table=self.table, name=self.name, field=self.field,
            before=self.before, after=self.after, evidence=tuple(self.evidence), requires=tuple(self.requires),
        )  # fmt: skip
