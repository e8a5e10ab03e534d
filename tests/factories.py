"""What tests are made of: people, areas, models, and real databases to read."""

from __future__ import annotations

import html
import os
import re
import uuid
from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from django.db import connection, transaction
from django.http import HttpResponse

from indexa.areas.models import Area, Membership, Person, Role
from indexa.core.compare.comparing import compare
from indexa.core.model import Column, ForeignKey, Key, Model, Table
from indexa.jobs.progress import Silent
from indexa.reconcile.readings import apply_reading
from indexa.sources import services as sources
from indexa.sources.models import Source
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.store.storing import read_snapshot, store_reading

PASSWORD = "a long test password"


def make_area(name: str = "Test area") -> Area:
    return Area.objects.create(name=name, slug=name.lower().replace(" ", "-"))


def make_person(area: Area | None, role: Role = Role.STEWARD, name: str = "") -> Person:
    name = name or f"{role.label.lower()}-{uuid.uuid4().hex[:6]}"
    person = Person.objects.create_user(username=name, password=PASSWORD, first_name=name.title())
    if area:
        Membership.objects.create(area=area, person=person, role=role)
    return person


def make_model(name: str = "billing") -> Model:
    """A meter, its readings, and a view over it."""
    meter = Table(
        schema="metering",
        name="mtr",
        comment="Meter",
        origin="100",
        columns=[
            Column("mtr_id", 1, "bigint", False, identity="always", origin="1"),
            Column("mtr_srl_no", 2, "character varying(24)", False, comment="as stamped", origin="2"),
            Column("inst_dt", 3, "date", origin="3"),
        ],
        primary_key=Key(name="mtr_pkey", columns=("mtr_id",)),
        unique=[Key(name="mtr_uq", columns=("mtr_srl_no",))],
    )
    reading = Table(
        schema="metering",
        name="mtr_rdg",
        origin="101",
        columns=[
            Column("mtr_id", 1, "bigint", False, origin="1"),
            Column("rdg_ts", 2, "timestamp with time zone", False, origin="2"),
            Column("rdg_val", 3, "numeric(12,3)", origin="3"),
        ],
        primary_key=Key(name="rdg_pkey", columns=("mtr_id", "rdg_ts")),
        foreign_keys=[
            ForeignKey(
                name="rdg_fk", columns=("mtr_id",), ref_schema="metering", ref_table="mtr", ref_columns=("mtr_id",)
            )
        ],
    )
    view = Table(
        schema="metering",
        name="v_mtr",
        kind="view",
        origin="102",
        definition_sql="SELECT 1",
        columns=[Column("mtr_id", 1, "bigint", origin="1")],
    )
    return Model(name=name, platform="postgresql", tables=[meter, reading, view])


def store(area: Area, model: Model, into: StoredModel | None = None, logical: StoredModel | None = None) -> StoredModel:
    """Store a first reading, or take all that a later one found into the model that is there."""
    if into is None:
        with transaction.atomic():
            return store_reading(area=area, reading=model, logical=logical, progress=Silent())
    stored = StoredModel.objects.select_related("snapshot", "logical").get(pk=into.pk)
    assert stored.snapshot is not None
    comparison = compare(read_snapshot(stored.snapshot), model)
    taken = {one.id for one in comparison.differences}
    apply_reading(area=area, person=None, physical=stored, comparison=comparison, taken=taken, why="Read again")
    return stored


def column(model: StoredModel, name: str) -> StoredColumn:
    """Find a stored column by table.column."""
    table, _, own = name.rpartition(".")
    return StoredColumn.objects.select_related("table__model", "attribute").get(
        table__model=model, table__name=table, name=own
    )


def table(model: StoredModel, name: str) -> StoredTable:
    return StoredTable.objects.get(model=model, name=name)


def server_address() -> dict[str, str | int]:
    own = connection.settings_dict
    return {"host": own["HOST"], "port": int(own["PORT"]), "user": own["USER"], "password": own["PASSWORD"]}


@contextmanager
def database(script: str) -> Iterator[str]:
    """A real database made by a script, with a login that may only read; dropped afterwards. Yields its name."""
    name = f"src_{os.getpid()}_{uuid.uuid4().hex[:8]}"
    address = server_address()
    with psycopg.connect(**address, dbname="postgres", autocommit=True) as server:
        server.execute(f'create database "{name}"'.encode())
        server.execute(f"create role \"{name}\" login password 'reader of {name}'".encode())
    try:
        with psycopg.connect(**address, dbname=name, autocommit=True) as made:
            made.execute(script.encode())
        yield name
    finally:
        with psycopg.connect(**address, dbname="postgres", autocommit=True) as server:
            server.execute(f'drop database "{name}" with (force)'.encode())
            server.execute(f'drop role "{name}"'.encode())


def make_source(area: Area, database_name: str, schemas: list[str] | None = None, name: str = "billing") -> Source:
    """A source on a database that `database` made."""
    own = server_address()
    source = Source(
        area=area, name=name, host=own["host"], port=own["port"], database=database_name, user=database_name,
        schemas=schemas or [],
    )  # fmt: skip
    return sources.save(source, password=f"reader of {database_name}")


def text_of(page: HttpResponse) -> str:
    """Return the words of a page as a reader has them, without tags and line breaks."""
    return " ".join(html.unescape(re.sub(r"<[^>]+>", " ", page.content.decode())).split())
