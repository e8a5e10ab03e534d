"""Terms, code lists, domains and business rules of an area, and which columns carry them, as stored."""

from __future__ import annotations

from typing import Any

from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.areas.models import Area
from indexa.core.glossary.codes import Code
from indexa.store.models import StoredColumn


class Term(models.Model):
    """A word of the business and what it means."""

    class State(models.TextChoices):
        DRAFT = "draft", "Draft"
        PROPOSED = "proposed", "Proposed"
        AGREED = "agreed", "Agreed"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="terms")
    name = models.CharField(max_length=120)
    definition = models.TextField(blank=True)
    synonyms = ArrayField(models.CharField(max_length=120), default=list)
    examples = models.TextField(blank=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.DRAFT)
    broader = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="narrower")
    related = ArrayField(models.BigIntegerField(), default=list)
    """Ids of terms; said of both."""

    class Meta:
        db_table = "term"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="term_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class CodeList(models.Model):
    """Codes with their meanings; `origin` says where they were found, "" for those made by hand."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="code_lists")
    name = models.CharField(max_length=120)
    meaning = models.TextField(blank=True)
    codes = models.JSONField(default=list)
    """`Code`s of the core, in their order."""
    origin = models.CharField(max_length=300, blank=True)

    class Meta:
        db_table = "code_list"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="code_list_name_in_its_area")]

    def __str__(self) -> str:
        return self.name

    @property
    def as_core(self) -> list[Code]:
        """The codes as the core has them."""
        return [Code(**one) for one in self.codes]


class Domain(models.Model):
    """A named type that columns share: what values it has, where they come from, how they are shown where they are private."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="domains")
    name = models.CharField(max_length=120)
    meaning = models.TextField(blank=True)
    base_type = models.CharField(max_length=60, blank=True)
    least = models.CharField(max_length=60, blank=True)
    most = models.CharField(max_length=60, blank=True)
    pattern = models.CharField(max_length=200, blank=True)
    unit = models.CharField(max_length=40, blank=True)
    default = models.CharField(max_length=120, blank=True)
    masked = models.CharField(max_length=120, blank=True)
    """How values are shown where they are private: "last 4 digits", "year only"."""
    code_list = models.ForeignKey(CodeList, null=True, on_delete=models.SET_NULL, related_name="domains")

    class Meta:
        db_table = "domain"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="domain_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class Rule(models.Model):
    """What must hold in the business, as a named text; it governs tables and columns."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="rules")
    name = models.CharField(max_length=120)
    definition = models.TextField(blank=True)
    reason = models.TextField(blank=True)
    """Why it holds: a law, a contract, a decision."""

    class Meta:
        db_table = "business_rule"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="rule_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class Governed(models.Model):
    """A table or column that a rule governs; what implements an entity or attribute is governed with it."""

    rule = models.ForeignKey(Rule, on_delete=models.CASCADE, related_name="carriers")
    target = models.CharField(max_length=10)
    object_id = models.BigIntegerField()

    class Meta:
        db_table = "governed"
        constraints = [models.UniqueConstraint(fields=["rule", "target", "object_id"], name="governed_once_by_a_rule")]
        indexes = [models.Index(fields=["target", "object_id"], name="rules_of_an_object")]

    def __str__(self) -> str:
        return f"{self.rule_id} governs {self.target} {self.object_id}"


class Meaning(models.Model):
    """What a column or attribute carries: a term, a domain, a code list. What implements an attribute shares it."""

    column = models.OneToOneField(StoredColumn, on_delete=models.CASCADE, related_name="meaning")
    term = models.ForeignKey(Term, null=True, on_delete=models.SET_NULL, related_name="carriers")
    domain = models.ForeignKey(Domain, null=True, on_delete=models.SET_NULL, related_name="carriers")
    code_list = models.ForeignKey(CodeList, null=True, on_delete=models.SET_NULL, related_name="carriers")

    class Meta:
        db_table = "meaning"

    def __str__(self) -> str:
        return f"meaning of {self.column_id}"


RECORDS: dict[type[models.Model], tuple[str, ...]] = {
    Term: ("area_id", "name", "definition", "synonyms", "examples", "state", "broader_id", "related"),
    CodeList: ("area_id", "name", "meaning", "codes", "origin"),
    Domain: (
        "area_id", "name", "meaning", "base_type", "least", "most", "pattern", "unit", "default", "masked", "code_list_id",
    ),
    Rule: ("area_id", "name", "definition", "reason"),
    Governed: ("rule_id", "target", "object_id"),
    Meaning: ("column_id", "term_id", "domain_id", "code_list_id"),
}  # fmt: skip
"""What a record of each kind holds, from which it can be made again."""


def record_of(item: Any) -> dict[str, Any]:
    """Return an object as it is kept in a change."""
    return {name: getattr(item, name) for name in RECORDS[type(item)]}
