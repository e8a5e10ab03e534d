"""The demo's second area: sources of the other kinds, entered by the services that the pages use."""

from __future__ import annotations

import os
import sqlite3
from importlib.resources import files
from pathlib import Path

import pymysql
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from pymysql.constants import CLIENT

from indexa.adapters.address import parse_address
from indexa.areas.models import Area, Person
from indexa.core import platforms
from indexa.jobs import services as jobs
from indexa.jobs.models import Job
from indexa.sources import presets, scanning
from indexa.sources import services as sources
from indexa.sources.models import Source

AREA = "Works and Laboratory"
DATABASE, LOGIN = "tarnbeck_works", "tarnbeck_reader"


def make_sources(area: Area, person: Person) -> list[Job]:
    """Enter the sources and queue their readings; the live MariaDB only where it runs."""
    made = [_script(area), _lab(area), _legacy(area)]
    if url := os.environ.get("INDEXA_DEMO_MARIADB_URL"):
        made.append(_live(area, url))
    record = presets.PresetRecord("Tables of works management", ["tables", "views"], [], "wk* st* lk*", "*Note")
    presets.save(area, person, record)
    return [_start(source, person) for source in made]


def _start(source: Source, person: Person) -> Job:
    if scan := scanning.running_scan(source):
        jobs.run(scan.pk)
        source.refresh_from_db()
    held = scanning.remembered(source) or scanning.scan(source)
    kinds = list(platforms.get(source.platform).kinds)
    return Job.objects.create(
        area=source.area,
        kind="intake",
        title=f"Reading {source.name}",
        arguments={"source": _chosen(source, [schema.schema for schema in held.schemas], kinds)},
        started_by=person,
    )


def _chosen(source: Source, schemas: list[str], kinds: list[str]) -> int:
    source.schemas = schemas
    source.kinds = kinds
    source.save(update_fields=["schemas", "kinds"])
    return source.pk


def _file(name: str) -> bytes:
    return (files("indexa.demo") / name).read_bytes()


def _script(area: Area) -> Source:
    source = Source(area=area, name="works", kind=Source.Kind.SCRIPT, platform="")
    return sources.save_upload(source, [SimpleUploadedFile("works.sql", _file("works.sql"))])


def _legacy(area: Area) -> Source:
    source = Source(area=area, name="works-legacy", kind=Source.Kind.KIT, platform="db2")
    return sources.save_upload(source, [SimpleUploadedFile("works-legacy.csv", _file("works-legacy.csv"))])


def _lab(area: Area) -> Source:
    folder = Path(settings.SOURCE_FOLDERS[0])
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / "tarnbeck-lab.sqlite"
    path.unlink(missing_ok=True)
    lab = sqlite3.connect(path)
    try:
        lab.executescript(_file("lab.sql").decode())
    finally:
        lab.close()
    return sources.save(Source(area=area, name="lab", kind=Source.Kind.FILE, platform="sqlite", database=str(path)))


def _live(area: Area, url: str) -> Source:
    """Load the script into the private MariaDB, with a login that may only read."""
    _, address, password = parse_address(url)
    reader = os.urandom(18).hex()
    server = pymysql.connect(
        host=address.host,
        port=address.port,
        user=address.user,
        password=password,
        client_flag=CLIENT.MULTI_STATEMENTS,
        autocommit=True,
    )
    try:
        with server.cursor() as cursor:
            cursor.execute(f"drop database if exists {DATABASE}")
            cursor.execute(f"create database {DATABASE} character set utf8mb4")
            cursor.execute(f"use {DATABASE}")
            for statement in _statements(_file("works.sql").decode()):
                cursor.execute(statement)
                while cursor.nextset():
                    pass
            for host in ("localhost", "127.0.0.1"):
                cursor.execute(f"create or replace user {LOGIN}@'{host}' identified by %s", [reader])
                cursor.execute(f"grant select, show view, trigger, execute on {DATABASE}.* to {LOGIN}@'{host}'")
    finally:
        server.close()
    source = Source(area=area, name="works live", platform="mysql", host=address.host, port=address.port, user=LOGIN)
    return sources.save(source, password=reader)


def _statements(script: str) -> list[str]:
    """Part the script at its change of delimiter: a driver knows no client commands."""
    head, _, tail = script.partition("DELIMITER //\n")
    bodies = tail.replace("DELIMITER ;", "").split("//")
    return [head, *(body for body in bodies if body.strip())]
