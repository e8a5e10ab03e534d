"""A dictionary of 1,000,000 columns with owners and classes: filters, one value for many, a sheet out and back."""

from __future__ import annotations

import argparse
import io
import json
import random
import re
import time
from collections.abc import Callable
from threading import Thread
from typing import TypeVar
from urllib.parse import urlencode

import openpyxl
from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.urls import reverse

from bench import load
from bench.searching import fill, percentiles
from indexa.areas.models import Area, Membership, Person, Role
from indexa.describing import aspects, saying
from indexa.describing.models import Aspect
from indexa.describing.saying import Subject
from indexa.dictionary import rows, search, setting, sheets
from indexa.dictionary.facets import facets_of
from indexa.dictionary.forms import write_query
from indexa.dictionary.models import SheetReview
from indexa.dictionary.search import Query
from indexa.jobs.progress import Silent
from indexa.store.models import StoredColumn, StoredModel, StoredTable

T = TypeVar("T")
_TYPED = ("acct", "cust name", "dt", "bill amt", "meter", "rdg val", "nothing has this")


def _timed(label: str, work: Callable[[], T]) -> T:
    began = time.perf_counter()
    made = work()
    print(f"| {label} | {time.perf_counter() - began:.2f} s |", flush=True)
    return made


def _person(area: Area) -> Person:
    person, _ = Person.objects.get_or_create(username="bench")
    Membership.objects.get_or_create(area=area, person=person, defaults={"role": Role.APPROVER})
    return person


def _say(area: Area, person: Person) -> None:
    """Own every schema but one, and classify a tenth of the tables."""
    if Aspect.objects.filter(area=area).exists():
        return
    aspects.begin(area=area, person=person)
    model = StoredModel.objects.get(area=area)
    owner, personal = (Aspect.objects.get(area=area, name=name) for name in ("Owner", "Personal data"))
    schemas = list(StoredTable.objects.filter(model=model).values_list("schema", flat=True).distinct())
    for number, schema in enumerate(schemas[1:]):
        team = aspects.save_team(area=area, team=None, name=f"Team {number}", people=[])
        saying.say(
            area=area, person=person, subject=Subject("schema", model.pk, schema), aspect=owner, given=f"t{team.pk}"
        )
    tables = list(StoredTable.objects.filter(model=model).values_list("pk", flat=True))
    chosen = random.Random(3).sample(tables, len(tables) // 10)
    values = [token for token, _ in saying.choices_of(personal)]
    said = {table: values[number % len(values)] for number, table in enumerate(chosen)}
    saying.say_of_many(area=area, person=person, aspect=personal, level="table", values=said, why="bench")


def _filters(area: Area) -> list[Query]:
    """Return a hundred searches with one to three filters, some of them of what is said."""
    rnd = random.Random(7)
    tokens = {
        f"a{aspect.pk}": [*(token for token, _ in saying.choices_of(aspect) if token[0] != "p"), "none"]
        for aspect in Aspect.objects.filter(area=area, applies__contains=["column"])
    }
    others = {
        "described": ["yes", "no"],
        "key": ["pk", "fk", "none"],
        "family": ["text", "number"],
        "null": ["yes", "no"],
    }
    found = []
    for number in range(100):
        said = rnd.sample(sorted(tokens), rnd.choice([1, 1, 2]))
        plain = rnd.sample(sorted(others), rnd.choice([0, 1]))
        filters = {name: (rnd.choice(tokens[name]),) for name in said} | {
            name: (rnd.choice(others[name]),) for name in plain
        }
        found.append(
            Query(
                area.pk, text="" if number % 2 else rnd.choice(["meter", "acc", "no", "customer date"]), filters=filters
            )
        )
    return found


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--columns", type=int, default=1_000_000)
    options = parser.parse_args(arguments)
    area = fill(options.columns)
    person = _person(area)
    print(f"\n**{options.columns:,} columns with owners and classes**\n\n| work | time |\n|---|---|")
    _timed("owners of schemas, classes of a tenth of the tables", lambda: _say(area, person))
    model = StoredModel.objects.get(area=area)
    _timed("what is said, brought into all rows", lambda: rows.refresh_said("model_id", [model.pk]))
    with connection.cursor() as cursor:
        cursor.execute("vacuum analyze dictionary_row")
    taken = []
    for warm in (True, False):
        for query in _filters(area):
            began = time.perf_counter()
            hits = search.first_hits(query)
            if hits.ids is None:
                search.page(query, 0, 50)
            facets_of(query, hits)
            taken += [] if warm else [1000 * (time.perf_counter() - began)]
    print(f"| first page and counts of 100 combinations of filters: p50, p95, most ms | {percentiles(taken)} |")
    _over_http(area, person)
    _sets(area, person)
    _sheet(area, person)


def _over_http(area: Area, person: Person) -> None:
    """Let twenty people search and filter over HTTP at once for half a minute, each with pauses as somebody who reads; then time edits."""
    session = SessionStore()
    session[SESSION_KEY], session[BACKEND_SESSION_KEY] = str(person.pk), settings.AUTHENTICATION_BACKENDS[-1]
    session[HASH_SESSION_KEY] = person.get_session_auth_hash()
    session.save()
    cookies = {settings.SESSION_COOKIE_NAME: str(session.session_key)}
    at = reverse("dictionary:page", args=[area.slug])
    asked = [
        f"{at}?{write_query(query)}#htmx"
        for query in [*_filters(area), *(Query(area.pk, text=word) for word in _TYPED)]
    ]
    taken: list[float] = []

    def visit(number: int) -> None:
        rnd, visitor, ends = random.Random(number), load.Visitor("", cookies), time.monotonic() + 30
        while time.monotonic() < ends:
            began = time.perf_counter()
            status, _ = visitor.ask(rnd.choice(asked))
            assert status == 200, status
            taken.append(1000 * (time.perf_counter() - began))
            time.sleep(rnd.uniform(0.4, 1.6))  # less than the server keeps a connection open

    with load.server():
        visitor = load.Visitor("", cookies)
        for address in asked:
            visitor.ask(address)
        people = [Thread(target=visit, args=(number,)) for number in range(20)]
        for one in people:
            one.start()
        for one in people:
            one.join()
        print(f"| search and filters over HTTP, 20 people at once: p50, p95, most ms | {percentiles(taken)} |")
        _edits(area, load.Visitor("", cookies))


def _edits(area: Area, visitor: load.Visitor) -> None:
    token = re.search(r'X-CSRFToken": "([^"]+)"', visitor.ask(reverse("dictionary:page", args=[area.slug]))[1].decode())
    assert token
    taken = []
    for column in StoredColumn.objects.filter(table__model__area=area)[:60]:
        cells = json.dumps(
            [{"column": column.pk, "field": "definition", "seen": column.definition, "value": f"x{time.time()}"}]
        )
        began = time.perf_counter()
        form = urlencode({"cells": cells, "csrfmiddlewaretoken": token[1]})
        status, _ = visitor.ask(reverse("dictionary:set-cells", args=[area.slug]), form)
        assert status == 200, status
        taken.append(1000 * (time.perf_counter() - began))
    print(f"| a cell of the grid saved over HTTP: p50, p95, most ms | {percentiles(taken[10:])} |")


def _sets(area: Area, person: Person) -> None:
    owner = Aspect.objects.get(area=area, name="Owner")
    token = next(token for token, _ in saying.choices_of(owner) if token.startswith("t"))
    with connection.cursor() as cursor:
        cursor.execute(
            "select table_id from dictionary_row where area_id = %s group by 1 order by 1 limit 5000", [area.pk]
        )
        tables = tuple(str(row[0]) for row in cursor.fetchall())
    query = Query(area.pk, filters={"table": tables})
    with transaction.atomic():
        count = _timed(
            "one owner for 100,000 columns, as one change set",
            lambda: setting.set_for_all(
                area=area, person=person, query=query, field=f"a{owner.pk}", value=token, only_missing=False
            ),
        )
        print(f"| changed | {count:,} |")
        transaction.set_rollback(True)


def _sheet(area: Area, person: Person) -> None:
    with connection.cursor() as cursor:
        cursor.execute(
            "select table_id from dictionary_row where area_id = %s group by 1 order by 1 limit 2381", [area.pk]
        )
        tables = tuple(str(row[0]) for row in cursor.fetchall())
    with transaction.atomic():
        stream = _timed(
            "a sheet of 50,000 rows, written",
            lambda: sheets.export(area=area, person=person, query=Query(area.pk, filters={"table": tables})),
        )
        book = openpyxl.load_workbook(stream)
        sheet = book.active
        place = next(cell.column for cell in sheet[3] if cell.value == "Definition")
        for number in range(4, sheet.max_row + 1, 10):
            sheet.cell(number, place).value = f"Written by hand, {number}"
        out = io.BytesIO()
        book.save(out)
        review, _ = sheets.hand_in(area=area, person=person, file=SimpleUploadedFile("back.xlsx", out.getvalue()))
        _timed(f"{sheet.max_row - 3:,} rows come back, read and compared", lambda: sheets.read(review, Silent()))
        count = SheetReview.objects.get(pk=review.pk).cells.count()
        _timed(f"{count:,} cells applied as one change set", lambda: sheets.apply(review=review, person=person))
        transaction.set_rollback(True)
