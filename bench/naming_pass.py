"""A naming pass over a large model: proposing, settling what is certain, applying and undoing, against their bounds."""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from typing import Any

from django.db import transaction

from bench.schemas import column_names, words
from indexa.areas.models import Area, Person
from indexa.changes import undoing
from indexa.core.model import Column, Model, Table
from indexa.core.naming.standard import Kind, Rule
from indexa.jobs.progress import Silent
from indexa.naming.passes import decisions as settling
from indexa.naming.passes import services as passes
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from indexa.store.bulk import delete_model
from indexa.store.models import StoredModel
from indexa.store.storing import store_reading

BOUNDS = {
    "propose": 30,
    "apply": 15,
    "undo": 15,
    "propose physical names": 30,
    "apply physical names": 15,
    "undo physical names": 15,
}
"""Seconds for 200,000 columns."""


RULES: dict[Kind, Rule] = {"table": Rule(case="upper"), "column": Rule(case="upper")}


def made_model(columns: int) -> Model:
    """Return a model of tables with twenty columns each."""
    names = column_names(columns)
    tables = []
    for number in range(columns // 20):
        seen = dict.fromkeys(next(names) for _ in range(20))
        made = [
            Column(name, at, "character varying(20)", comment=f"The {name} of it." if at % 4 == 0 else "")
            for at, name in enumerate(seen, 1)
        ]
        tables.append(Table(schema="s", name=f"mtr_{number}", columns=made))
    return Model(name="large", platform="postgresql", tables=tables)


def _timed(what: str, work: Callable[[], Any]) -> Any:
    started = time.perf_counter()
    with transaction.atomic():
        done = work()
    bound = f", bound {BOUNDS[what]} s" if what in BOUNDS else ""
    print(f"{what}: {time.perf_counter() - started:.1f} s{bound}", flush=True)
    return done


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--columns", type=int, default=200_000)
    columns = parser.parse_args(arguments).columns
    area = Area.objects.get_or_create(name="bench names", slug="bench-names")[0]
    person = Person.objects.get_or_create(username="bench")[0]
    for old in StoredModel.objects.filter(area=area).order_by("layer"):
        delete_model(old.pk)
        old.delete()
    with transaction.atomic():
        stored = store_reading(area=area, reading=made_model(columns), logical=None, progress=Silent())
    print(f"{columns:,} columns")
    book = wordbooks.books_of(area)[0]
    BookWord.objects.filter(wordbook=book).delete()
    known: dict[str, list[str]] = {}
    for short, word in words().items():
        known.setdefault(word.capitalize(), []).append(short)
    BookWord.objects.bulk_create(
        [BookWord(wordbook=book, word=word, abbreviations=abbreviations) for word, abbreviations in known.items()]
    )
    made = _timed(
        "propose",
        lambda: passes.make_pass(
            model=stored, person=person, kinds=["tables", "columns"], only_missing=True, progress=Silent()
        ),
    )
    certain = _timed(
        "settle all that is certain",
        lambda: settling.settle_certain(area=area, person=person, pass_id=made.pk, book=book),
    )
    print(f"{certain} words were certain")
    change_set = _timed("apply", lambda: passes.apply(area=area, person=person, pass_id=made.pk)).change_set
    print(f"{change_set.changes.count():,} names applied")
    _timed("undo", lambda: undoing.undo(area=area, person=person))
    standard = standards.make(area=area, person=person, name=f"bench {stored.pk}", rules=RULES)
    _timed("check against a standard", lambda: standards.govern(stored=standard, models=[stored]))
    with transaction.atomic():
        again = passes.make_pass(
            model=stored, person=person, kinds=["tables", "columns"], only_missing=True, progress=Silent()
        )
        passes.apply(area=area, person=person, pass_id=again.pk)
    back = _timed(
        "propose physical names",
        lambda: passes.make_pass(
            model=stored, person=person, kinds=["tables", "columns"], only_missing=False, direction="physical",
            progress=Silent(),
        ),
    )  # fmt: skip
    applied = _timed("apply physical names", lambda: passes.apply(area=area, person=person, pass_id=back.pk))
    print(f"{applied.count:,} names applied")
    _timed("undo physical names", lambda: undoing.undo(area=area, person=person))
