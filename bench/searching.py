"""Searching 1,000,000 columns: what the dictionary page asks of the database, over 200 mixed terms."""

from __future__ import annotations

import argparse
import random
import re
import statistics
import time
from collections.abc import Iterator
from typing import Any

from django.db import connection

from bench.schemas import SCHEMAS, column_names, sentence, words
from indexa.areas.models import Area
from indexa.dictionary import rows, search
from indexa.dictionary.models import DictionaryRow
from indexa.dictionary.search import Query
from indexa.jobs.progress import Silent
from indexa.store.bulk import copy_rows, reserve_ids
from indexa.store.models import Layer, StoredModel

_COLUMNS_A_TABLE = 20
_TYPES = [
    ("bigint", "number"),
    ("character varying(60)", "text"),
    ("date", "date and time"),
    ("boolean", "yes or no"),
]
_GOAL_MS = 50
_TABLE_COLUMNS = (
    "id", "model_id", "schema", "name", "kind", "comment", "business_name", "definition", "definition_sql", "properties",
    "origin",
)  # fmt: skip
_EMPTY = ("", "", "", "")
_COLUMN_COLUMNS = (
    "id", "table_id", "name", "position", "type", "family", "nullable", "identity", "collation", "comment", "roles",
    "business_name", "definition", "origin", "remark",
)  # fmt: skip


def fill(columns: int) -> Area:
    """Return an area with a model of so many columns, made once."""
    area, _ = Area.objects.get_or_create(name=f"bench search {columns}", slug=f"bench-search-{columns}")
    if DictionaryRow.objects.filter(area_id=area.pk).exists():
        return area
    StoredModel.objects.filter(area=area).delete()
    print("making the columns")
    rnd = random.Random(5)
    known = words()
    model = StoredModel.objects.create(area=area, name="million", layer=Layer.PHYSICAL, platform="postgresql")
    tables = reserve_ids("model_table", columns // _COLUMNS_A_TABLE)
    names = column_names(columns)
    copy_rows(
        "model_table", _TABLE_COLUMNS,
        ((id_, model.pk, rnd.choice(SCHEMAS), f"{next(names)}_{n}", "table", *_EMPTY, "{}", "")
         for n, id_ in enumerate(tables)),
        Silent(), "", 0,
    )  # fmt: skip

    ids = reserve_ids("model_column", columns)

    def column_rows() -> Iterator[tuple[Any, ...]]:
        for number, (id_, name) in enumerate(zip(ids, column_names(columns), strict=True)):
            parts = [known.get(part.lower(), part.lower()) for part in re.findall(r"[A-Z]?[a-z0-9]+|[A-Z0-9]+", name)]
            definition = sentence(rnd, parts) if rnd.random() < 0.4 else ""
            type_, family = rnd.choice(_TYPES)
            yield (
                id_, tables[number // _COLUMNS_A_TABLE], f"{name}_{number % _COLUMNS_A_TABLE}",
                number % _COLUMNS_A_TABLE + 1, type_, family, rnd.random() < 0.7, "", "", "",
                rnd.choices([0, 1, 2, 4], [85, 5, 8, 2])[0], " ".join(parts).title(), definition, "", "",
            )  # fmt: skip

    copy_rows(
        "model_column", _COLUMN_COLUMNS,
        column_rows(), Silent(), "", 0,
    )  # fmt: skip
    with connection.cursor() as cursor:
        cursor.execute("analyze")
        rows.refresh_model(model.pk)
        cursor.execute("vacuum analyze dictionary_row")
    return area


def _terms(rnd: random.Random) -> dict[str, list[str]]:
    known = words()
    hot = [word for word in known.values() if len(word) > 3][:180]
    texts = [name.lower() for name in column_names(4000)]

    def part(length: int) -> str:
        while True:
            text = re.sub(r"[^a-z0-9]", "", rnd.choice(texts))
            if len(text) > length:
                start = rnd.randrange(len(text) - length)
                return text[start : start + length]

    return {
        "1 letter": [part(1) for _ in range(40)],
        "2 letters": [part(2) for _ in range(40)],
        "3 letters": [part(3) for _ in range(40)],
        "word": [rnd.choice(hot) for _ in range(40)],
        "two words": [f"{rnd.choice(hot)} {rnd.choice(hot)}" for _ in range(40)],
    }


def percentiles(values: list[float]) -> str:
    """Return median, 95th percentile and most as cells of a table."""
    ranked = sorted(values)
    return f"{statistics.median(ranked):.0f} | {ranked[int(0.95 * len(ranked))]:.0f} | {ranked[-1]:.0f}"


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--columns", type=int, default=1_000_000)
    parser.add_argument("--worst", action="store_true", help="print the slowest terms")
    options = parser.parse_args(arguments)
    area = fill(options.columns)
    groups = _terms(random.Random(11))
    taken: dict[str, list[tuple[float, str]]] = {}
    for warm in (True, False):
        for name, terms in groups.items():
            for term in terms:
                query = Query(area.pk, text=term)
                began = time.perf_counter()
                if search.first_hits(query).ids is None:
                    search.page(query, 0, 100)
                milliseconds = 1000 * (time.perf_counter() - began)
                if not warm:
                    taken.setdefault(name, []).append((milliseconds, term))
    print(f"\n**Searching {options.columns:,} columns: count to 1,000, filter counts of those, first page**\n")
    print("| terms | p50 ms | p95 ms | most ms |\n|---|---|---|---|")
    everything = [ms for found in taken.values() for ms, _ in found]
    for name, found in taken.items():
        print(f"| {name} | {percentiles([ms for ms, _ in found])} |")
    print(f"| all 200 | {percentiles(everything)} |")
    if options.worst:
        print(sorted(((ms, term) for found in taken.values() for ms, term in found), reverse=True)[:14])
    with connection.cursor() as cursor:
        began = time.perf_counter()
        cursor.execute("select count(*) from dictionary_row where area_id = %s and text like %s", [area.pk, "%meter%"])
        scan = time.perf_counter() - began
    exact = time.perf_counter()
    search.exact_hits(Query(area.pk, text="meter"))
    print(
        f"\nexact count and filters of one word, the second request: {1000 * (time.perf_counter() - exact):.0f} ms; "
        f"a bare exact count of it: {1000 * scan:.0f} ms; goal for the first request: p95 {_GOAL_MS} ms"
    )
