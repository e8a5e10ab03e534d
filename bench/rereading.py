"""Reading a large source again of which some tables changed: from the catalog to the taken model, beside queries and comparison."""

from __future__ import annotations

import argparse
import statistics
import time

import psycopg
from django.db import connection, transaction

from bench.common import schema_database
from bench.reading import bare, queries, read
from indexa.areas.models import Area
from indexa.core.compare.comparing import compare
from indexa.jobs.progress import Silent
from indexa.reconcile import services as reconciliations
from indexa.reconcile.models import Reconciliation
from indexa.sources.models import Intake, Source
from indexa.store.models import StoredModel
from indexa.store.storing import SnapshotKeeping, SnapshotUnpacking, read_snapshot, store_reading

_KINDS = (
    "alter table {t} add column bench_added_{n} text",
    "comment on table {t} is 'changed {n}'",
    "create index bench_ix_{n}_{k} on {t} ({c})",
    "alter table {t} alter column {c} set default null",
)


def main(arguments: list[str]) -> None:
    """Change some tables, read again, take everything; print the share of each step."""
    parser = argparse.ArgumentParser(prog="./indexa bench reconciliation")
    parser.add_argument("--tables", type=int, default=10_000)
    parser.add_argument("--changed", type=int, default=20)
    parser.add_argument("--runs", type=int, default=5)
    given = parser.parse_args(arguments)
    url = schema_database(given.tables)
    asked = queries(url)
    area = Area.objects.get_or_create(name="bench again", slug="bench-again")[0]
    StoredModel.objects.filter(area=area).delete()
    with connection.cursor() as cursor:
        cursor.execute(
            "truncate model_table, model_column, model_key, model_relationship, model_index, model_check, model_object, dictionary_row cascade"
        )
    with transaction.atomic():
        stored = store_reading(area=area, reading=read(url), logical=None, progress=Silent())
    source = Source.objects.create(area=area, name=f"bench {time.time()}", model=stored)
    taken: dict[str, list[float]] = {}
    for run in range(given.runs):
        change(url, given.changed, run)
        began = time.perf_counter()
        bare(url, asked)
        limit = time.perf_counter() - began
        steps = read_again(url, source)
        comparison = steps.pop("comparison alone")
        taken.setdefault("bare queries", []).append(limit)
        taken.setdefault("comparison alone", []).append(comparison)
        for step, seconds in steps.items():
            taken.setdefault(step, []).append(seconds)
        reading = sum(seconds for step, seconds in steps.items() if step != "take it")
        taken.setdefault("reading again in all", []).append(reading)
        taken.setdefault("ratio of reading again", []).append(reading / (limit + comparison))
        taken.setdefault("ratio with taking", []).append(sum(steps.values()) / (limit + comparison))
    print(
        f"\n**Reading {given.tables:,} tables again, {given.changed} of them changed**\n\n| step | median s | min to max |\n|---|---|---|"
    )
    for step, seconds in taken.items():
        print(f"| {step} | {statistics.median(seconds):.2f} | {min(seconds):.2f} to {max(seconds):.2f} |")


def change(url: str, count: int, run: int) -> None:
    """Change so many tables of the source, each time others, in one of four ways."""
    with psycopg.connect(url, autocommit=True) as database:
        rows = database.execute(
            "select format('%%I.%%I', n.nspname, c.relname), (select quote_ident(attname) from pg_attribute where attrelid = c.oid and attnum = 2) "
            "from pg_class c join pg_namespace n on n.oid = c.relnamespace where c.relkind = 'r' and n.nspname !~ '^pg_|information_schema' "
            "order by 1 offset %s limit %s",
            [run * count, count],
        ).fetchall()
        for number, (table, column) in enumerate(rows):
            database.execute(
                _KINDS[number % len(_KINDS)].format(t=table, c=column, n=time.time_ns(), k=number).encode()
            )


def read_again(url: str, source: Source) -> dict[str, float]:
    """Read, keep, compare and take; return the seconds of each step."""
    steps: dict[str, float] = {}

    def timed(step: str, began: float) -> float:
        now = time.perf_counter()
        steps[step] = now - began
        return now

    at = time.perf_counter()
    stored = StoredModel.objects.select_related("snapshot").get(sources=source)
    unpacking = SnapshotUnpacking(stored.snapshot)
    reading = read(url)
    at = timed("read to a Model", at)
    with transaction.atomic():
        keeping = SnapshotKeeping(reading)
        comparison = compare(unpacking.wait(), reading)
        at = timed("compare with the last reading", at)
        intake = Intake.objects.create(source=source, model=stored, snapshot=keeping.keep(), receipt={})
        reconciliation = reconciliations.keep_differences(intake, comparison)
    assert reconciliation
    at = timed("keep the reading and what differs", at)
    reconciliations.apply(area=source.area, person=None, reconciliation_id=reconciliation.pk)
    at = timed("take it", at)
    assert stored.snapshot
    before = read_snapshot(stored.snapshot)
    began = time.perf_counter()
    differences = compare(before, reading).differences
    steps["comparison alone"] = time.perf_counter() - began
    assert len(differences) == Reconciliation.objects.get(pk=reconciliation.pk).differences.count()
    return steps
