"""People, areas, and who may do what in which."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.IntegerChoices):
    """What a member may do. Each role may do all that those before it may."""

    READER = 1, "Reader"
    STEWARD = 2, "Steward"
    APPROVER = 3, "Approver"
    ADMINISTRATOR = 4, "Administrator"


class Person(AbstractUser):
    """Someone who signs in. A first password, which somebody else chose, is changed before anything else."""

    has_first_password = models.BooleanField(default=False)

    @property
    def display_name(self) -> str:
        """First and last name, or the sign-in name where neither is known."""
        return self.get_full_name() or self.username

    @property
    def initials(self) -> str:
        """One or two letters for the corner of the page."""
        return "".join(word[0] for word in self.display_name.split()[:2]).upper()


class Area(models.Model):
    """A team's sources, models and editions."""

    name = models.CharField(max_length=80, unique=True)
    slug = models.SlugField(max_length=80, unique=True)
    purpose = models.CharField(max_length=300, blank=True)

    class Meta:
        db_table = "area"
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class Visit(models.Model):
    """When a person was in an area last, and when the time before that: what came since then is new to them."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="visits")
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="visits")
    at = models.DateTimeField()
    before = models.DateTimeField(null=True)

    class Meta:
        db_table = "visit"
        constraints = [models.UniqueConstraint(fields=["area", "person"], name="one_visit_in_an_area")]

    def __str__(self) -> str:
        return f"{self.person_id} in {self.area_id}"


class Membership(models.Model):
    """A person's role in an area."""

    area = models.ForeignKey(Area, on_delete=models.CASCADE, related_name="memberships")
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="memberships")
    role = models.PositiveSmallIntegerField(choices=Role.choices)

    class Meta:
        db_table = "membership"
        constraints = [models.UniqueConstraint(fields=["area", "person"], name="one_role_in_an_area")]

    def __str__(self) -> str:
        return f"{self.person_id} in {self.area_id}: {self.get_role_display()}"
