"""Loading the demo: Tarnbeck Water's billing database, its people, and the work they have done so far."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from importlib.resources import files
from typing import Any

import psycopg
from django.conf import settings
from django.db import connection, transaction
from psycopg import sql

from indexa.adapters.installation_key import installation_key
from indexa.areas import services as areas
from indexa.areas.models import Area, Person, Role
from indexa.core.edition.parts import Contents
from indexa.core.intake.choice import OBJECT_KINDS
from indexa.core.naming.standard import Kind, Rule
from indexa.demo import care, diagrams, reconciling, stewardship, warehouse, words, works
from indexa.editions import composing, enclosing
from indexa.editions import services as editions
from indexa.editions.choices import Choices
from indexa.editions.models import CoverLogo, Destination, Edition, SigningRule
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.modeling import editing, renaming
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from indexa.sources import services as sources
from indexa.sources.models import Source
from indexa.sources.secrets import seal
from indexa.store.models import StoredColumn, StoredModel, StoredTable

AREA = "Customer and Billing"
PASSWORD = "tarnbeck water"  # noqa: S105  the demo's sign-ins are printed, and the server is on loopback
PEOPLE = [
    ("reader", "Una", "Holt", Role.READER),
    ("steward", "Ines", "Rook", Role.STEWARD),
    ("approver", "Matt", "Veld", Role.APPROVER),
    ("administrator", "Jo", "Carrow", Role.ADMINISTRATOR),
]
DATABASE, LOGIN = "tarnbeck_billing", "tarnbeck_reader"
_SCHEMAS = ["bill", "cust", "metering"]
_COMMONS = "http://127.0.0.1:8650/api/catalogs/"
"""Where Commons is delivered to, once somebody runs it."""


class DemoError(Exception):
    """The demo could not be loaded."""


def is_loaded() -> bool:
    """True if the demo was loaded whole: its area stands last in the transaction that loads it."""
    return Area.objects.filter(name=AREA).exists()


def load() -> None:
    """Load the demo if it is not there. Stopped in the middle, it begins anew the next time."""
    if is_loaded():
        return
    password = _make_database()
    with transaction.atomic():
        area = _make_area(AREA, "billing", "Tarnbeck Water: accounts, metering, invoices")
        people = {person.username: person for person in Person.objects.filter(memberships__area=area)}
        source = _make_source(area, password)
        job = Job.objects.create(
            area=area,
            kind="intake",
            title="Reading billing",
            arguments={"source": source.pk},
            started_by=people["steward"],
        )
    others: list[Area] = []
    try:
        _run(job)
        with transaction.atomic():
            _write_words(area, people["steward"])
            _write_wordbooks(area, people["steward"])
            _rename_one(area, people["steward"])
        _start_naming_pass(area, people["steward"])
        _run(_look_for_proposals(area, people["steward"], "billing"))
        _make_standard(area, people["steward"])
        stewardship.begin(area, people)
        stewardship.describe_billing(area, people)
        stewardship.write_glossary(area, people["steward"])
        stewardship.write_rules(area, people["steward"])
        stewardship.propose_and_comment(area, people)
        diagrams.draw_billing(area, people["steward"])
        for deriving in care.start_deriving(area, people["steward"], care.build(area, people["steward"])):
            _run(deriving)
        _publish_first_edition(area, people)
        reconciling.watch(area, people["steward"])
        _run(reconciling.change_and_compare(area, people["steward"]))
        _run(reconciling.read_again(area, people["steward"]))
        _ask_for_second_edition(area, people)
        stewardship.coverage_so_far(area)
        others.append(_make_area(works.AREA, "works", "Tarnbeck Water: works management, laboratory, what came before"))
        stewardship.begin(others[-1], people)
        for reading in works.make_sources(others[-1], people["steward"]):
            _run(reading)
        diagrams.draw_others(others[-1], people["steward"])
        _run(_look_for_proposals(others[-1], people["steward"], "lab"))
        others.append(_make_area(warehouse.AREA, "reporting", "Tarnbeck Water: the warehouse that the reports read"))
        stewardship.begin(others[-1], people)
        stewardship.describe_warehouse(others[-1], people)
        _run(_read_warehouse(others[-1], password, people["steward"]))
        diagrams.draw_others(others[-1], people["steward"])
        with transaction.atomic():
            naming = warehouse.name_and_govern(others[-1], people["steward"], area)
        _run(naming)
    except BaseException:
        area.delete()
        for other in others:
            other.delete()
        raise


def _make_area(name: str, slug: str, purpose: str) -> Area:
    area = Area.objects.create(name=name, slug=slug, purpose=purpose)
    for username, first, last, role in PEOPLE:
        areas.add_member(area=area, username=username, role=role, password=PASSWORD, first_name=first, last_name=last,
                      email=f"{username}@tarnbeck.example")  # fmt: skip
    return area


def _make_database() -> str:
    """Create the billing database anew, with a login that may only read; returns the login's password."""
    own: dict[str, Any] = settings.DATABASES["default"]
    address: dict[str, Any] = {
        "host": own["HOST"],
        "port": own["PORT"],
        "user": own["USER"],
        "password": own["PASSWORD"],
    }
    password = secrets.token_urlsafe(18)
    database, login = sql.Identifier(DATABASE), sql.Identifier(LOGIN)
    with psycopg.connect(**address, dbname="postgres", autocommit=True) as server:
        server.execute(sql.SQL("drop database if exists {} with (force)").format(database))
        server.execute(sql.SQL("create database {}").format(database))
        if not server.execute("select 1 from pg_roles where rolname = %s", [LOGIN]).fetchone():
            server.execute(sql.SQL("create role {} login").format(login))
        server.execute(sql.SQL("alter role {} password {}").format(login, sql.Literal(password)))
    with psycopg.connect(**address, dbname=DATABASE) as billing:
        for script in ("billing.sql", "warehouse.sql"):
            billing.execute((files("indexa.demo") / script).read_text().encode())
        for schema in [*_SCHEMAS, *warehouse.SCHEMAS]:
            name = sql.Identifier(schema)
            billing.execute(sql.SQL("grant usage on schema {} to {}").format(name, login))
            billing.execute(sql.SQL("grant select on all tables in schema {} to {}").format(name, login))
    return password


def _read_warehouse(area: Area, password: str, person: Person) -> Job:
    source = _make_source(area, password, name="warehouse", schemas=warehouse.SCHEMAS)
    return Job.objects.create(
        area=area, kind="intake", title="Reading warehouse", arguments={"source": source.pk}, started_by=person
    )


def _make_source(area: Area, password: str, name: str = "billing", schemas: Sequence[str] = _SCHEMAS) -> Source:
    own: dict[str, Any] = settings.DATABASES["default"]
    source = Source(
        area=area, name=name, host=own["HOST"], port=int(own["PORT"]), database=DATABASE, user=LOGIN,
        schemas=list(schemas), kinds=list(OBJECT_KINDS),
    )  # fmt: skip
    return sources.save(source, password=password)


def follow_server() -> None:
    """Point the demo's own sources at the server as it is reached now: its port may be another since the last start.

    A stored password is bound to its address, so the login gets a new one.
    """
    own: dict[str, Any] = settings.DATABASES["default"]
    address = own["HOST"], int(own["PORT"])
    of_demo = list(Source.objects.filter(platform="postgresql", database=DATABASE, user=LOGIN))
    if all((source.host, source.port) == address for source in of_demo):
        return
    password = secrets.token_urlsafe(18)
    with connection.cursor() as cursor:
        cursor.execute(sql.SQL("alter role {} password {}").format(sql.Identifier(LOGIN), sql.Literal(password)))
    for source in of_demo:
        source.host, source.port = address
        sources.save(source, password=password)


def _run(job: Job) -> None:
    """Run a job here and now: the same code as in a worker."""
    jobs.run(job.pk)
    job.refresh_from_db()
    if job.state != Job.State.DONE:
        raise DemoError(f"{job.title}: {job.reason} {job.hint}")


def _write_words(area: Area, person: Person) -> None:
    """Write the demo's words, each as a change set, as a person would."""
    model = StoredModel.objects.get(area=area, layer="physical", name="billing")
    tables = {table.full_name: table for table in StoredTable.objects.filter(model=model)}
    columns = {
        f"{column.table.full_name}.{column.name}": column
        for column in StoredColumn.objects.filter(table__model=model).select_related("table")
    }
    items: list[tuple[StoredTable | StoredColumn, tuple[str, str]]] = []
    items += [(tables[name], text) for name, text in words.TABLES.items()]
    items += [(columns[name], text) for name, text in words.COLUMNS.items()]
    for item, text in items:
        place = editing.place_of(item, only_here=False)
        for field, value in zip(("business_name", "definition"), text, strict=True):
            editing.edit(area=area, person=person, place=place, field=field, seen="", value=value)


def _rename_one(area: Area, person: Person) -> None:
    """The steward has put one name right in the model, which the source will change too."""
    model = StoredModel.objects.get(area=area, layer="physical", name="billing")
    crew = StoredColumn.objects.get(table__model=model, table__name="mtr_xchg", name="crew_cd")
    renaming.rename_many(
        area=area, person=person, model_id=model.pk, why="“crew” alone does not say which crew",
        names=[("column", crew.pk, "crew_cd", "fld_crew_cd")],
    )  # fmt: skip


def _look_for_proposals(area: Area, person: Person, name: str) -> Job:
    model = StoredModel.objects.get(area=area, layer="physical", name=name)
    return Job.objects.create(
        area=area, kind="proposals", title=f"Looking for what {name} does not declare", started_by=person,
        arguments={"model": model.pk, "ask_rows": False},
    )  # fmt: skip


def _write_wordbooks(area: Area, person: Person) -> None:
    for name, entries in words.WORDBOOKS.items():
        book = wordbooks.make_book(area, name)
        for word, abbreviations, status, context_words, meaning in entries:
            BookWord.objects.create(
                wordbook=book, word=word, abbreviations=abbreviations.split(), status=status, context_words=context_words.split(), meaning=meaning,
                changed_by=person,
            )  # fmt: skip


def _start_naming_pass(area: Area, person: Person) -> None:
    model = StoredModel.objects.get(area=area, layer="physical", name="billing")
    job = Job.objects.create(
        area=area, kind="naming pass", title="Proposing names for billing", started_by=person,
        arguments={"model": model.pk, "kinds": ["tables", "columns"], "only_missing": True},
    )  # fmt: skip
    _run(job)


def _make_standard(area: Area, person: Person) -> None:
    """A standard that most of billing's names follow, as they have grown."""
    rules: dict[Kind, Rule] = {
        "table": Rule(number="singular"),
        "view": Rule(prefix="v_"),
        "column": Rule(known_words=True),
        "primary key": Rule(pattern="{{ table }}_pkey", severity="note"),
        "foreign key": Rule(pattern="{{ table }}_{{ columns | join('_') }}_fkey", severity="note"),
        "index": Rule(pattern="{{ 'ux' if unique else 'ix' }}_{{ table }}_{{ columns | join('_') }}"),
    }
    made = standards.make(area=area, person=person, name="Tarnbeck", platform="postgresql", rules=rules)
    standards.govern(stored=made, models=list(StoredModel.objects.filter(area=area, layer="physical")))


def _publish_first_edition(area: Area, people: dict[str, Person]) -> None:
    """Publish an edition that two people signed, push it to a folder, and know where Commons is once somebody runs it."""
    SigningRule.objects.create(area=area, approvals=2)
    logo = (files("indexa.demo") / "tarnbeck.png").read_bytes()
    CoverLogo.objects.create(area=area, content=logo, by=people["administrator"])
    edition = _prepare_edition(area, people, "Meters, accounts and invoices are described; the rest follows by spring.")
    for one in (people["approver"], people["administrator"]):
        editions.decide(edition_id=edition.pk, area=area, person=one, approve=True)
    folder = Destination.objects.create(
        area=area,
        kind="folder",
        label="Documentation folder",
        address=settings.PUSH_FOLDERS[0],
        name="billing",
        at_publication=True,
    )
    token = installation_key(settings.DATA_DIR / "keys" / "commons.token")
    Destination.objects.create(
        area=area,
        kind="catalog",
        label="Commons",
        address=_COMMONS,
        name="billing",
        sealed_secret=seal(token, _COMMONS),
    )
    _run(editions.publish(edition_id=edition.pk, area=area, person=people["approver"]))
    for job in Job.objects.filter(area=area, kind="push"):
        _run(job)
    assert folder.pushes.exists()


def _ask_for_second_edition(area: Area, people: dict[str, Person]) -> None:
    """Prepare the next edition, which one of two has signed."""
    edition = _prepare_edition(
        area,
        people,
        "What the source brought since the first edition, and more of metering.",
        [one.pk for one in enclosing.scripts_of(area)],
    )
    editions.decide(
        edition_id=edition.pk, area=area, person=people["administrator"], approve=True, note="Read with the meter team."
    )


def _prepare_edition(area: Area, people: dict[str, Person], note: str, scripts: Sequence[int] = ()) -> Edition:
    model = StoredModel.objects.get(area=area, layer="physical", name="billing")
    text = "# How to read this\n\nBegin with [[metering.mtr]] and [[bill.inv]]: most of the rest hangs on them."
    choices = Choices(
        models=[model.pk], text=composing.keep_names(area, text), scripts=list(scripts), audience="People who work with billing data, and auditors",
        contents=Contents(surroundings=True), foot="For members of Tarnbeck Water, and those who audit it",
    )  # fmt: skip
    _, job = editions.prepare(
        area=area, person=people["steward"], title="Billing data dictionary", note=note, choices=choices
    )
    _run(job)
    edition = Edition.objects.get(job=job)
    signers = [people["approver"].pk, people["administrator"].pk]
    editions.ask(edition_id=edition.pk, area=area, person=people["steward"], people=signers)
    return edition
