"""Storing a reading in both layers, beside a bare COPY of the very same rows into the same tables."""

from __future__ import annotations

import argparse
import copy
from typing import Any

from django.db import connection, transaction

from bench.common import compare, schema_database
from bench.reading import read
from indexa.areas.models import Area
from indexa.jobs.progress import Silent
from indexa.store.bulk import delete_model
from indexa.store.models import StoredModel
from indexa.store.storing import store_reading

_TABLES = (
    "model_table", "model_column", "model_key", "model_relationship", "model_index", "model_check", "model_object",
    "dictionary_row",
)  # fmt: skip


def _read_rows() -> dict[str, tuple[str, list[tuple[Any, ...]]]]:
    """Return all rows of the stored model as tuples, in memory, ready to be copied."""
    rows = {}
    with connection.cursor() as cursor:
        for table in _TABLES:
            order = "order by model_id, sort_key" if table == "dictionary_row" else "order by id"
            cursor.execute(f"select * from {table} {order}")
            names = ", ".join(f'"{column.name}"' for column in cursor.description)
            rows[table] = (names, cursor.fetchall())
    return rows


def _copy(rows: dict[str, tuple[str, list[tuple[Any, ...]]]]) -> None:
    with transaction.atomic(), connection.cursor() as cursor:
        for table, (names, found) in rows.items():
            with cursor.cursor.copy(f"COPY {table} ({names}) FROM STDIN") as target:
                for row in found:
                    target.write_row(row)


def _clear() -> None:
    with connection.cursor() as cursor:
        cursor.execute(f"truncate {', '.join(_TABLES)}")


def main(arguments: list[str]) -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--tables", type=int, default=10000)
    options = parser.parse_args(arguments)
    reading = read(schema_database(options.tables))
    areas = [Area.objects.get_or_create(name=f"bench {n}", slug=f"bench-{n}")[0] for n in ("copy", "store")]

    def store(area: Area) -> list[StoredModel]:
        StoredModel.objects.filter(area=area).delete()
        with transaction.atomic():
            model = store_reading(area=area, reading=copy.deepcopy(reading), logical=None, progress=Silent())
        return [model, model.logical]

    _clear()
    store(areas[0])
    rows = _read_rows()

    def bare() -> None:
        _clear()
        _copy(rows)
        _clear()

    print(f"\n**Storing {options.tables:,} tables: {sum(len(found) for _, found in rows.values()):,} rows**\n")
    _clear()
    compare({"bare COPY of the same rows": bare, "Indexa, both layers": lambda: (store(areas[1]), _clear())}, runs=3)
    models = store(areas[1])
    print()
    compare({"deleting the physical model": lambda: delete_model(models[0].pk)}, runs=1)
    compare({"deleting the logical model": lambda: delete_model(models[1].pk)}, runs=1)
