"""Diagrams and the cards on them, as stored."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from indexa.store.models import StoredModel, StoredRelationship, StoredTable


class Diagram(models.Model):
    """A named view on a model: which tables it shows is told by its cards, how much of them by `depth` and `naming`."""

    class Depth(models.TextChoices):
        NAMES = "names", "names"
        KEYS = "keys", "keys"
        COLUMNS = "columns", "columns"
        FULL = "full", "full"

    class Naming(models.TextChoices):
        PHYSICAL = "physical", "physical"
        BUSINESS = "business", "business"
        BOTH = "both", "both"

    class Notation(models.TextChoices):
        CROWS_FOOT = "crows-foot", "crow's foot"
        IDEF1X = "idef1x", "IDEF1X"
        UML = "uml", "UML"

    model = models.ForeignKey(StoredModel, on_delete=models.CASCADE, related_name="diagrams")
    name = models.CharField(max_length=120)
    depth = models.CharField(max_length=8, choices=Depth.choices, default=Depth.COLUMNS)
    naming = models.CharField(max_length=8, choices=Naming.choices, default=Naming.BOTH)
    notation = models.CharField(max_length=12, choices=Notation.choices, default=Notation.CROWS_FOOT)
    colour = models.CharField(max_length=20, default="schema")
    """The mark that hues stand for."""
    private_to = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="+")
    """Whose it is alone; null for one that the area shares."""
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    version = models.PositiveIntegerField(default=1)
    """Counts up with every change, so that a page knows when it shows an older state."""
    routes = models.JSONField(default=dict)
    """The points of its lines as they were worked out last: `for` tells for which places and sizes, `lines` has them by id."""

    class Meta:
        db_table = "diagram"
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return self.name


class DiagramNote(models.Model):
    """A text on a diagram: a note, or a frame around some tables whose title it is. Places and sizes are in px."""

    class Kind(models.TextChoices):
        NOTE = "note", "Note"
        FRAME = "frame", "Frame"

    diagram = models.ForeignKey(Diagram, on_delete=models.CASCADE, related_name="notes")
    kind = models.CharField(max_length=5, choices=Kind.choices)
    text = models.TextField()
    x = models.FloatField()
    y = models.FloatField()
    width = models.FloatField()
    height = models.FloatField()
    rank = models.IntegerField(default=0)
    """What has more lies in front of what has less, and of what is older."""

    class Meta:
        db_table = "diagram_note"
        ordering = ["rank", "pk"]

    def __str__(self) -> str:
        return f"{self.kind} {self.text[:40]}"


class DiagramCard(models.Model):
    """A table on a diagram. `x` and `y` are its upper left corner in px.

    `depth` is its own where it is not the diagram's; `width` its own where a person made it wider or narrower, else 0.
    """

    diagram = models.ForeignKey(Diagram, on_delete=models.CASCADE, related_name="cards")
    table = models.ForeignKey(StoredTable, on_delete=models.CASCADE, db_constraint=False, related_name="+")
    x = models.FloatField()
    y = models.FloatField()
    depth = models.CharField(max_length=8, blank=True)
    width = models.FloatField(default=0)

    class Meta:
        db_table = "diagram_card"
        constraints = [models.UniqueConstraint(fields=["diagram", "table"], name="table_once_on_a_diagram")]

    def __str__(self) -> str:
        return f"{self.table_id} on {self.diagram_id}"


class DiagramLine(models.Model):
    """A relationship on a diagram whose way a person has chosen. `bends` are its corners in px, from child to parent."""

    diagram = models.ForeignKey(Diagram, on_delete=models.CASCADE, related_name="bent_lines")
    relationship = models.ForeignKey(
        StoredRelationship, on_delete=models.CASCADE, db_constraint=False, related_name="+"
    )
    bends = models.JSONField()

    class Meta:
        db_table = "diagram_line"
        constraints = [
            models.UniqueConstraint(fields=["diagram", "relationship"], name="relationship_once_on_a_diagram")
        ]

    def __str__(self) -> str:
        return f"{self.relationship_id} on {self.diagram_id}"


class ModelMap(models.Model):
    """The places of a whole model's map, kept while its tables and relationships are the same."""

    model = models.OneToOneField(StoredModel, on_delete=models.CASCADE, related_name="map")
    digest = models.CharField(max_length=64)
    """Of the tables and relationships that it was made of."""
    areas = models.JSONField()
    """Each a record of `name`, `x`, `y`, `width`, `height` in px and `tables`: id, x and y of each."""

    class Meta:
        db_table = "model_map"

    def __str__(self) -> str:
        return f"map of {self.model_id}"
