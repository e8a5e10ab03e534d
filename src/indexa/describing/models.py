"""What can be said about objects beside their words, and what is said, as stored."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models

from indexa.areas.models import Area

LEVELS = ("area", "model", "schema", "table", "column", "term")
"""At which an aspect has values, the widest first. Entities are tables here, attributes columns; terms are those of the glossary."""


class Team(models.Model):
    """People who own something together."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="teams")
    name = models.CharField(max_length=80)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="teams")

    class Meta:
        db_table = "team"
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="team_name_in_its_area")]

    def __str__(self) -> str:
        return self.name


class Aspect(models.Model):
    """One thing that can be said about objects of an area: who owns it, how it is classified, a field of the area's own.

    `applies` names the levels at which objects have it; an inherited one reaches all below. A scheme that `raises` gives a
    table the highest of its columns' values.
    """

    class Kind(models.TextChoices):
        OWNER = "owner", "Owner"
        STEWARD = "steward", "Steward"
        CLASS = "class", "Classification"
        FIELD = "field", "Field"

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="aspects")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    name = models.CharField(max_length=60)
    meaning = models.CharField(max_length=300, blank=True)
    type = models.CharField(max_length=10)
    """A `FieldType` of the core."""
    applies = ArrayField(models.CharField(max_length=10))
    inherited = models.BooleanField(default=True)
    raises = models.BooleanField(default=False)
    default_value = models.TextField(blank=True)
    position = models.PositiveIntegerField(default=0)

    class Meta:
        db_table = "aspect"
        ordering = ["position", "pk"]
        constraints = [models.UniqueConstraint(fields=["area", "name"], name="aspect_name_in_its_area")]

    def __str__(self) -> str:
        return self.name

    @property
    def is_people(self) -> bool:
        """True where its values are people or teams."""
        return self.type == "person"

    @property
    def has_choices(self) -> bool:
        """True where its values are listed."""
        return self.type == "choice"

    @property
    def offers_values(self) -> bool:
        """True where all it can be given is known: listed values, people, yes and no."""
        return self.has_choices or self.is_people or self.type == "yes or no"

    @property
    def field(self) -> str:
        """Its name among the fields of a sheet, a filter or a grid."""
        return f"a{self.pk}"


class AspectValue(models.Model):
    """One of the values that are listed for an aspect, with what it means; `rank` counts up from the mildest."""

    aspect = models.ForeignKey(Aspect, on_delete=models.CASCADE, related_name="values")
    name = models.CharField(max_length=60)
    meaning = models.CharField(max_length=300, blank=True)
    rank = models.PositiveIntegerField()

    class Meta:
        db_table = "aspect_value"
        ordering = ["rank", "pk"]
        constraints = [models.UniqueConstraint(fields=["aspect", "name"], name="value_name_in_its_aspect")]

    def __str__(self) -> str:
        return self.name

    @property
    def token(self) -> str:
        """How it stands in an assignment."""
        return f"c{self.pk}"


class Assignment(models.Model):
    """What is said of one object under one aspect.

    `value` is "c" and the id of a listed value, "p" and that of a person, "t" and that of a team, else the text itself; "" says
    nothing. `object_id` is the area, model, table or column; of a schema the model, with the schema's name beside it.
    """

    aspect = models.ForeignKey(Aspect, on_delete=models.CASCADE, related_name="assignments")
    level = models.CharField(max_length=10)
    object_id = models.BigIntegerField()
    schema = models.TextField(blank=True)
    value = models.TextField(blank=True)

    class Meta:
        db_table = "aspect_assignment"
        constraints = [
            models.UniqueConstraint(
                fields=["aspect", "level", "object_id", "schema"], name="one_value_of_an_aspect_for_an_object"
            )
        ]
        indexes = [models.Index(fields=["level", "object_id"], name="assignments_of_an_object")]

    def __str__(self) -> str:
        return f"{self.aspect_id} of {self.level} {self.object_id}: {self.value}"
