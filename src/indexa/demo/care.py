"""The demo's model that is built by hand: customer care as people talk of it, and the physical models derived from it."""

from __future__ import annotations

from typing import NamedTuple

from indexa.areas.models import Area, Person
from indexa.building import deriving, services
from indexa.core.building import changing
from indexa.core.building.parts import Part
from indexa.diagrams import services as diagrams
from indexa.jobs.models import Job
from indexa.naming.standards.models import StoredStandard
from indexa.store.models import StoredColumn, StoredModel, StoredTable

NAME = "Customer care"


class _Entity(NamedTuple):
    name: str
    definition: str
    key: tuple[tuple[str, str], ...]
    attributes: tuple[tuple[str, str, str], ...]


_ENTITIES = (
    _Entity(
        "Customer", "A person or organisation that holds an account with Tarnbeck Water.", (("Customer Number", "varchar(12)"),),
        (("Family Name", "varchar(80)", "The name under which the customer is addressed."),
         ("Vulnerable", "boolean", "Whether the customer needs help that is told of in priority services."),
         ("Preferred Channel", "char(2)", "How the customer wants to be reached.")),
    ),
    _Entity(
        "Contact", "One time that a customer and Tarnbeck Water spoke or wrote to each other.", (("Contact Number", "integer"),),
        (("Contact Time", "timestamp with time zone", "When it began."), ("Summary Text", "text", "What it was about, in the agent's words.")),
    ),
    _Entity(
        "Complaint", "A contact in which a customer was not satisfied, until it is answered.", (("Complaint Number", "bigint"),),
        (("Received Date", "date", "The day it counts as received: the clock of the guaranteed standard begins."),
         ("Answered Date", "date", "The day the answer left the house."), ("Compensation Amount", "decimal(9, 2)", "What was paid, if anything.")),
    ),
    _Entity(
        "Agent", "A person of Tarnbeck Water who deals with customers.", (("Agent Number", "varchar(8)"),),
        (("Full Name", "varchar(80)", "The name that customers are given."),),
    ),
    _Entity(
        "Complaint Reason", "Why customers complain, as the regulator counts it.", (("Reason Code", "char(3)"),),
        (("Reason Name", "varchar(60)", "What the code stands for."),),
    ),
)  # fmt: skip
_RELATIONSHIPS = (
    ("Customer", "Contact", "identifying", ""),
    ("Customer", "Complaint", "mandatory", ""),
    ("Agent", "Contact", "mandatory", ""),
    ("Agent", "Complaint", "optional", "Responsible"),
    ("Complaint Reason", "Complaint", "mandatory", ""),
)
"""Parent, child, kind and role."""
PLATFORMS = (("postgresql", "customer care"), ("oracle", "customer care, Oracle"))


def build(area: Area, person: Person) -> StoredModel:
    """Build the logical model with a diagram, and describe it."""
    model = services.create_model(area=area, name=NAME, layer="logical")

    def work(part: Part) -> None:
        made = {}
        for entity in _ENTITIES:
            table = made[entity.name] = changing.add_table(part, entity.name)
            for name, type_ in entity.key:
                changing.add_column(part, table.id, name, type_, in_key=True)
            for name, type_, _ in entity.attributes:
                changing.add_column(part, table.id, name, type_)
        for parent, child, kind, role in _RELATIONSHIPS:
            changing.relate(
                part, made[parent].id, made[child].id, identifying=kind == "identifying", optional=kind == "optional", role=role
            )  # fmt: skip

    services.change(
        area=area, person=person, model=model, tables=[], why="Customer care, as the workshop drew it", work=work
    )
    for entity in _ENTITIES:
        StoredTable.objects.filter(model=model, name=entity.name).update(definition=entity.definition)
        for name, _, definition in entity.attributes:
            StoredColumn.objects.filter(table__model=model, table__name=entity.name, name=name).update(
                definition=definition
            )
    diagrams.create(
        area=area, person=person, model=model, name="Contacts and complaints", table_ids=list(model.tables.values_list("pk", flat=True)),
        naming="business", style="layered",
    )  # fmt: skip
    return model


def start_deriving(area: Area, person: Person, model: StoredModel) -> list[Job]:
    """Return the jobs that derive the physical models, by the area's standard."""
    standard = StoredStandard.objects.filter(area=area).first()
    return [
        deriving.start(
            area=area,
            person=person,
            logical=model,
            platform=platform,
            name=name,
            schema="care",
            standard=standard.pk if standard else 0,
        )
        for platform, name in PLATFORMS
    ]
